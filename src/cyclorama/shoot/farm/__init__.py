"""Shooting on many machines: Dask hands out the steps of frames, and what they need is fetched by hash."""
