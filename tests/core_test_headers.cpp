// Carries the headers that all tests of the core share, compiled once.
