"""The window: shows core values and turns gestures into edits. It does not compute."""
