"""Writes docs/steps.md from the catalogue: the same examples the tests run."""

from pathlib import Path

from dreck.steps import Step, all_steps

PAGE = Path(__file__).parent / "steps.md"


def page() -> str:
    """The whole page as Markdown."""
    head = "# The steps\n\nWritten from the catalogue by `python docs/pages.py`; `dreck steps NAME` shows the same.\n"
    return head + "".join(_section(step) for step in all_steps())


def _section(step: Step) -> str:
    asked = "" if step.by_default else "\n\nTaken only when asked for: `--step " + step.name + "`."
    traps = "\n".join(f"- {trap}" for trap in step.traps)
    return (
        f"\n## {step.name}\n\n{step.summary}{asked}\n\n**Why.** {step.why}\n\n**When not.** {step.when_not}\n\n"
        f"```python\n{step.before}```\n\nbecomes\n\n```python\n{step.after}```\n\nTraps:\n\n{traps}\n"
    )


if __name__ == "__main__":
    PAGE.write_text(page())
