"""Deliveries: presets, the writing of a cut or a take to files, and the verification of these files."""
