"""What a function decides, from `ast`: measures, names in scope, and the graph of what it does."""
