"""The bench: the instruments as their owner knows them."""
