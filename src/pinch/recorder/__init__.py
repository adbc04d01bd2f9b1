"""A source becomes a run."""
