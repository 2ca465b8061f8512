"""One version loaded: its module executed, its functions watched, lifted out or given other code."""
