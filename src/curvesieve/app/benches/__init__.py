"""One folder a bench: a working view of the window."""
