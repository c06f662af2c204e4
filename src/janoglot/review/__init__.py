"""Review: links for people without an account, what they say of an edition, and that they approve of it."""
