"""`python -m kelvarn` is the same as `kelvarn`."""

from kelvarn.cli import main

main()
