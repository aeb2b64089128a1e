"""What a take is: measurements in one pass, and the verdicts drawn from them."""
