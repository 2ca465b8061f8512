"""The graph of what a function does, and how Python becomes it."""
