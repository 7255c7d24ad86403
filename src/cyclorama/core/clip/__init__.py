"""Encoding takes into delivery files."""
