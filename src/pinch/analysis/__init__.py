"""Runs of a book become points, cells, curves, verdicts, modes and plans. Nothing is written."""
