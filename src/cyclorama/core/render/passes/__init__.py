"""Render passes: those with rays of their own, and the files of all."""
