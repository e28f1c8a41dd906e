"""Word tables, one module a language."""
