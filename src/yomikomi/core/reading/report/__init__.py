"""A reading on paper: HTML and PDF with pictures and strips, and JSON."""
