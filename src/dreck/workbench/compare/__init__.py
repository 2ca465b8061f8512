"""Comparing two versions: of functions, files, folders, revisions."""
