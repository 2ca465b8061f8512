"""One version loaded, watched, run and described."""
