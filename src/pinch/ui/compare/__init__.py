"""The Compare page: cells set against a baseline."""
