"""Names: what conditions, branches, tables and families are called, and out of which words."""
