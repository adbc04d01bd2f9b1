"""Chart specs on screen."""
