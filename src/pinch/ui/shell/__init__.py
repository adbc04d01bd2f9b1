"""What surrounds every page: spine, context strip, margin, footer."""
