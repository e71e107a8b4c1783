"""Statistics that comparing and planning share: moderated variances, power, looks. They know of no lanes or tests."""
