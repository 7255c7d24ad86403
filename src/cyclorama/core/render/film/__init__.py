"""What rays bring back: films, denoising, developing, metering, and finished frames."""
