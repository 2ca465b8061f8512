"""What stands around the two functions: their modules, files beside, what code says of itself."""
