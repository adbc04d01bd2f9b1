"""The records of the bench and the book that keeps them."""
