"""Takes as they are finished: graded, denoised, packed, checked, delivered."""
