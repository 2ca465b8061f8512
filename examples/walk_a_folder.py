"""Walk a folder: where is the tangle, and how much of it can go by proof alone, without running anything?"""

import sys
from pathlib import Path

import dreck

folder = Path(sys.argv[1]) if len(sys.argv) > 1 else Path(dreck.__file__).parent / "demo" / "yard"

survey = dreck.survey(folder)
print(survey)
print()

result = dreck.untangle(folder, verdict="proved")
before = sum(f.before.tangle for f in result.functions)
after = sum(f.after.tangle for f in result.functions)
print(f"{len(result.steps)} steps, all proved: tangle {before} -> {after}")
for refusal in result.refused:
    print(f"  not taken: {refusal.step}, line {refusal.line}: {refusal.reason}")
