"""Frames on disk: names, damage, seam check."""
