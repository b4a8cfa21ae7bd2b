"""The computation, without any interface code."""
