"""From tables to curves: roles, units, computed channels, conditions; and curves made without a file."""
