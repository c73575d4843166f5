"""All computation, without a window. Nothing below here imports Qt; a test enforces it."""
