"""The current study, its history, what is in hand, and work in the background."""
