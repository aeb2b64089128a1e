"""The run: what is to be made, in which order, by whom, and how it survives."""
