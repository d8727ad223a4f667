"""Sets of situations closed backwards, without knowing what is reached."""
