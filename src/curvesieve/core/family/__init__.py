"""Numbers of many curves together: how they are laid out to be seen, made alike, and compared."""
