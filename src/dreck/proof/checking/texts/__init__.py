"""What the checker reads in the texts of the files, by itself."""
