"""Are two versions the same? Proof, inputs, stand-ins, the cage, trials, verdicts. Knows nothing of steps."""
