"""The demo worlds of the Tidewrack."""
