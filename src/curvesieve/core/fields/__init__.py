"""Fields: z over x and y, from scattered or gridded points to surfaces, contours, slices and numbers."""
