"""What `./cyc bench` measures: figures as ratios within one run."""
