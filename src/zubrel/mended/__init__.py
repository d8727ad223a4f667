"""From a finding to its mend: changes to the author's file, each proved by a search."""
