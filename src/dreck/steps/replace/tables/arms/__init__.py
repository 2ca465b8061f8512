"""Arms of a ladder: what they come to, what they share, what they are called, and the lines that stand for them."""
