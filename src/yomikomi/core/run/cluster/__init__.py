"""The run on several machines: certificates, what machines see of each other's drives, and the programs that run on them."""
