"""Linear pictures: exposure, view transforms, read and write picture files."""
