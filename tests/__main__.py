"""`python -m tests [NAME...]`: every test, or those of the named modules."""

import sys

from tests.runner import main

if __name__ == "__main__":
    sys.exit(main())
