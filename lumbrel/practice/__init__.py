"""The practice pan: a simulated batch with faults to find, in a record of its own."""
