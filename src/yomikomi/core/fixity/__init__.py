"""Whether files are still what they were: their digests, where silent damage lies, and the drives that they lie on."""
