"""What stays as it is, though a step applies: what a reviewer would leave alone."""
