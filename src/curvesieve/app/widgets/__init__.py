"""Small widgets of our own that several parts of the window use."""
