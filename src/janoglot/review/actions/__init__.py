"""Named actions: one business act in each module."""
