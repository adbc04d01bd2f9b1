"""Cards of the deck: from what is asked of the book to a picture, a sentence, a table, and what speaks against them."""
