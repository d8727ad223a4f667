"""All exit codes of the program; docs/command-line.md says what each means."""

OK, FOUND, INVALID, STOPPED, BROKEN, UNWRITTEN, INTERRUPTED = 0, 1, 2, 3, 70, 74, 130
