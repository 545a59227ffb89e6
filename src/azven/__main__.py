"""`python -m azven`."""

from azven.cli import main

main()
