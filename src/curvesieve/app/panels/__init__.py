"""What stands beside several benches: shelf, ledger, numbers, exports."""
