"""Two worlds: each version of a function in a process of its own, with its own whole tree of modules."""
