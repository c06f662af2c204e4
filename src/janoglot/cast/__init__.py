"""Cast: a voice for every speaker in every edition."""
