"""The Figure bench: pages of panels made from the study, drawn as they print."""
