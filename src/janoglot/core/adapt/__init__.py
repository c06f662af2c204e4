"""Adapting: drafts, memory, terms, doubts, lengths, and wordings on their way out and back."""
