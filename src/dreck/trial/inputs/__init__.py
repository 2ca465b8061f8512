"""What inputs may be: how they are used, what may stand where, recipes for it."""
