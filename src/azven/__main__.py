"""`python -m azven`."""

from azven.cli import main

if __name__ == "__main__":  # the search's own process reads this file too
    main()
