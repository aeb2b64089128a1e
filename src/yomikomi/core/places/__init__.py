"""Places that second copies lie in: drives, network folders, other sites. Files are copied there whole or not at all, and proven."""
