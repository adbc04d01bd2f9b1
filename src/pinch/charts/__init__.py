"""What a chart says (plain specs) and how it is written to a file."""
