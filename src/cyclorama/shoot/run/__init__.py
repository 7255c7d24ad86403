"""Shooting a take: worker, watch, retries, forecast."""
