"""Where strange code may run: walls around the process, clocks and chances held still."""
