"""Ready sets, and how a kept set takes the size of a subject."""
