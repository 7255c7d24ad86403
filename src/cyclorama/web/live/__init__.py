"""What is passed on while it happens: the developing lens, the shoot log, answers that many wait for."""
