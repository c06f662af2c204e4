"""Handing over: captions, clips and packages."""
