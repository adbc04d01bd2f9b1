"""The Scale page: score against measured watts."""
