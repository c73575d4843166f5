"""The Intake bench: files on their way in, and how each is understood."""
