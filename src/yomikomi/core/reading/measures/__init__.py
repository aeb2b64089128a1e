"""One module a measurement. Most take looks: two consecutive frames, about one pair a second."""
