"""The window and what stands around its benches: header, status, notices, finder, files, recovery."""
