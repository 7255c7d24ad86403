"""Grading: from the scene-linear master to the picture that is shown."""
