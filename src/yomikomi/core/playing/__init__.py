"""Playing takes, treated takes and copies: pictures in step with their sound."""
