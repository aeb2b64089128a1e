"""The workspace and its record: carriers, takes, readings, treatments, trials, copies, and what people overruled."""
