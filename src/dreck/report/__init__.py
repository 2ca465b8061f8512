"""Reports: draw what the core found and decide nothing."""
