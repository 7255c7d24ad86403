"""From a take that is wanted to files that can be handed over."""
