"""The language server: what an editor is told by the Language Server Protocol (3.17)."""
