"""Routers of the JSON interface, and the shapes of its answers."""
