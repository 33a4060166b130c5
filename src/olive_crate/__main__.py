"""`python -m olive_crate` is the command."""

from olive_crate_command import main

main()
