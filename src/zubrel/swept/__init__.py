"""A world and what is to vary in it -> its variants, each proved or shown to be wrong."""
