"""The Run station, and the queue of copies behind it."""
