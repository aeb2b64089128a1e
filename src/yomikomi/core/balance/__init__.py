"""What copies would cost: trials, curves, predictions, choices."""
