"""Commands of the command line that have a file of their own, and what all of them share."""
