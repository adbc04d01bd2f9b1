"""Chart specs drawn by matplotlib: one module a kind, all into an area of a figure, with the same lettering."""
