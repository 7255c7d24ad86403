"""Deliveries: a cut or a take as files, in the formats of presets, and the check of what was written."""
