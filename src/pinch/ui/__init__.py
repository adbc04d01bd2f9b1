"""The window: the only layer that imports PyQt6."""
