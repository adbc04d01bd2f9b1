"""The Modes page: what each setting of a device draws, holds, sounds and feels like."""
