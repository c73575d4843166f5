"""The Field bench: z over x and y."""
