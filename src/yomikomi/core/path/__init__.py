"""The path from player to recorder: the equipment there is, every workable way through it, what each delivers, and why it fails."""
