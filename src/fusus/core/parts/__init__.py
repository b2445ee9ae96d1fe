"""Parts: what a datasheet says, what of it can be believed, and the error model that follows."""
