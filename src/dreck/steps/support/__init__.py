"""What the steps are made with: trees, noted edits, negation, layout, wording, chains."""
