"""What if: a change that nobody has tried, predicted by the twin of a device."""
