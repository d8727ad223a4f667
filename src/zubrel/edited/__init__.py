"""What an editor asks of a text that is being written: where one is, what fits, what it means."""
