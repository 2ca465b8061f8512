"""`python -m dreck`."""

from dreck.cli import main

main()
