"""Set-up and services for a checkout. Standard library only: it runs before anything is installed."""
