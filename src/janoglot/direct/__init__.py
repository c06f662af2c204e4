"""Direct: takes, made in the background, and which of them still match."""
