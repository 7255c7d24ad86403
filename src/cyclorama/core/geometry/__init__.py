"""Read meshes, measure, ground, centre; build sweeps and discs."""
