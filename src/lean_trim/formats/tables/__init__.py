"""Tables in and out: files, the clipboard, workbook sheets."""

from lean_trim.formats.tables.files import parse_table, read_table
from lean_trim.formats.tables.written import table_text, write_table

__all__ = ["parse_table", "read_table", "table_text", "write_table"]
