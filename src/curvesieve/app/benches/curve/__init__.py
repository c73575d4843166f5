"""The Curve bench: canvas, sieve, model and ledger of one curve."""
