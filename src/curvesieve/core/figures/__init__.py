"""Figures: what their panels show (`content`), the page that Matplotlib draws, its ways out. See `study.figure_parts`."""
