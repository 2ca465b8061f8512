"""The judge and its verdicts."""
