"""What leaves the book: open data packages."""
