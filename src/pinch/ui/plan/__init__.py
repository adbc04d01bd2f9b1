"""The Plan page: matrix, run sheet and timeline."""
