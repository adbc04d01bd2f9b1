"""Where numbers come from: Linux sensors, the built-in load, log files."""
