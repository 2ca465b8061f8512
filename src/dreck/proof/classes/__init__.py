"""What a proof may know of the classes of a module."""
