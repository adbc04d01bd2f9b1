"""The Run page: record a device."""
