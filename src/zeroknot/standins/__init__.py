"""The simulated outside: small servers that ship with the application, for practice and tests."""
