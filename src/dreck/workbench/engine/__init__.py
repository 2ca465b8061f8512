"""The engine: a step found, carried out, judged, kept or dropped; over a function, a file, several files."""
