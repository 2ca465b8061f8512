"""The lock-step run: both graphs walked together, what is known on a path, what was shown before, loops."""
