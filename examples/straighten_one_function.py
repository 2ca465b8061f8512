"""Straighten one function from Python, and read what was done and how it is known."""

import sys
from pathlib import Path

import dreck

yard = Path(dreck.__file__).parent / "demo" / "yard"
target = sys.argv[1] if len(sys.argv) > 1 else f"{yard / 'gate.py'}::admit"

function = dreck.load(target)
result = dreck.untangle(function)

print(f"{function.tangle} tests held open over its lines before, {result.functions[0].after.tangle} after")
for step in result.steps:
    print(f"  {step.step}, line {step.line}: {step.verdict}")
print()
print(result.source)
