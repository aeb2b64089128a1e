"""What the desktop and the machine do for the run: stay awake, suspend, power off, notify."""
