"""The recycling yard: a small tangled project with a few tests of its own, and a tour of Dreck on it."""
