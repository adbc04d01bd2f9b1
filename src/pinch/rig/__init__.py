"""The simulated device that ships with Pinch, driven through the same code as a real one."""
