"""Other people's logs: any table of text becomes a run log, and what cannot be known is asked."""
