"""The world of one input, and the stand-ins in it."""
