"""What is known of modules, classes and constants that are imported: from the library, from packages, from beside."""
