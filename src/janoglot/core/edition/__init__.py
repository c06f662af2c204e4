"""One edition of a production, whole: what is said, by whom, how and when, and what is to be made of it."""
