"""Speech: voices, the engines behind them, takes, and what can be measured of a sound."""
