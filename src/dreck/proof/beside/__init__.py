"""Files beside the two versions: what is imported from them, however far away, and what they do to one another."""
