"""Use cases, free of HTTP and of the terminal, and the background work beside them."""
