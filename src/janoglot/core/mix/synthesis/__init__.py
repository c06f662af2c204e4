"""Sounds that are made, not recorded: small physical and spectral models, each with parameters of its own.

Everything is made round: what sounds on past the end begins again at the beginning, so that any length loops without a
seam. The same number makes the same sound anywhere.
"""
