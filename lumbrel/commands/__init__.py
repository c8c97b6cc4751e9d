"""What the command line does, a module a family of commands."""
