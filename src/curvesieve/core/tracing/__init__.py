"""Charts: a picture of a printed plot, its axes calibrated to parts of a pixel, and what is traced from it."""
