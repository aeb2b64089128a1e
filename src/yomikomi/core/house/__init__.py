"""House rules: what was decided for one carrier, applied to the next forty, and where a person has to look all the same."""
