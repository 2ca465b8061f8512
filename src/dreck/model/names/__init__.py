"""What names mean: scopes, modules, files beside, tables, classes."""
