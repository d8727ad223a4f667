"""The command line: parse, call the pipeline, write, exit."""
