"""The probe: a program of its own, on the standard library alone, that reads what Linux tells of a machine."""
