"""The steps: small rewrites, one module each, from LibCST to LibCST. Not trusted: every result is judged."""

from dreck.steps.catalogue import Step, all_steps, step_named

__all__ = ["Step", "all_steps", "step_named"]
