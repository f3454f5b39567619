// Carries the headers that all tests of the application share, compiled once.
