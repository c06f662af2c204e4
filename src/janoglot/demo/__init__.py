"""What every new user sees first."""
