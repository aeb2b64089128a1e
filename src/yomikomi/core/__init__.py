"""The work itself, without a window. Nothing below here imports Qt; import-linter and a test run see to it."""
