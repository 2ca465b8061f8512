"""What stands around the two functions: their modules, what code says of itself."""
