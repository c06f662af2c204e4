"""Benchmarks: figures as ratios within one run, so that they mean something on any machine."""
