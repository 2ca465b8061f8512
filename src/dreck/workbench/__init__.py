"""The workbench: takes a step, has it judged, keeps or drops it; the order of steps; saving."""
