"""Rules: what one node comes to, better than its row in the table says. One module an idea."""
