"""The operating system: everything that systems do differently, and nothing else, is in this room."""
