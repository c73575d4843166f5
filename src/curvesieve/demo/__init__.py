"""The demo scenario: made-up measurements of marram films, generated from a seed, with the truth beside them."""
