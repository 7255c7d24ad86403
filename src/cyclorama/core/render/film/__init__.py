"""Films: what rays bring back, denoising, progressive rendering, metering, and finished frames."""
