"""`python -m olive_crate` is the command."""

from .cli import main

main()
