"""The same work without a window, one file per command."""
