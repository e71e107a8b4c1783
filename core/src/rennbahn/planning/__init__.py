"""How much measuring a question needs."""
