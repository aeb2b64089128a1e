"""How a take was scanned: fields, whole pictures, film, repeats, frame by frame and over the whole."""
