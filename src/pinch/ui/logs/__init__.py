"""Logs that come into the book from the window."""
