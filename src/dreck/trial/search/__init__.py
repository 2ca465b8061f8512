"""The search for inputs that reach, and for those that tell versions apart."""
