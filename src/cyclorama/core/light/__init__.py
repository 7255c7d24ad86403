"""Photometry, environments and soft lights: from the document to what the kernels sample."""
