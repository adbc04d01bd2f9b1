"""The arithmetic of the job: NumPy and SciPy on arrays. No files, no clock, no Qt, no SQL."""
