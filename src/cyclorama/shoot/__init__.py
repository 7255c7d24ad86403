"""Shooting takes: the worker process, progress, resume."""
