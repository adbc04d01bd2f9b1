"""Pinch: bench work for people who review laptops, mini PCs and handhelds."""

__version__ = "0.22.0"
