"""Measurements of `./cyc bench`: figures as ratios within one run."""
