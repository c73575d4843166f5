"""Figures: what their panels show (`content`), the page that Matplotlib draws (`draw`), its ways out (`writing`)."""
