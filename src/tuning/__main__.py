"""`python -m tuning` is the `tuning` command."""

from tuning.cli import main

main()
