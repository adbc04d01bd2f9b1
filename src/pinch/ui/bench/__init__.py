"""The Bench page: devices, settings, workloads and protocols."""
