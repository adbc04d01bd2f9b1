"""Pinch: bench work for people who review laptops, mini PCs and handhelds."""

import os

__version__ = "0.28.0"
# No package that happens to be installed has a say in records; to look for one takes longer than to read a book.
os.environ.setdefault("PYDANTIC_DISABLE_PLUGINS", "__all__")
