"""Frames of takes: how they are made, kept, mixed and reused."""
