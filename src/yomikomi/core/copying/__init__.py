"""Making copies, and proving them."""
