"""The demo workspace of the Kamome Bay Lantern Archive, and its maker. All of it is invented and simulated."""
