"""What people and steps look at: shape, measures, switches, ways."""
