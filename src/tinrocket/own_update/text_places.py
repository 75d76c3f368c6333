"""Places of the nodes of a syntax tree in a text, counted in characters."""

import ast
import io
import tokenize


class Places:
    """Places of nodes in a text, counted in characters."""

    def __init__(self, text: str) -> None:
        self.text = text
        self.lines = text.splitlines(keepends=True)
        self.begins = [0]
        for line in self.lines:
            self.begins.append(self.begins[-1] + len(line))

    def at(self, line: int, column: int) -> int:
        """Return the place of a line, from 1, and a column in bytes of UTF-8."""
        row = self.lines[line - 1]
        return self.begins[line - 1] + len(row.encode()[:column].decode())

    def of(self, node: ast.expr | ast.stmt) -> tuple[int, int]:
        """Return begin and end of a node."""
        assert node.end_lineno is not None
        assert node.end_col_offset is not None
        return (
            self.at(node.lineno, node.col_offset),
            self.at(node.end_lineno, node.end_col_offset),
        )

    def closing(self, begin: int) -> tuple[int, bool]:
        """Return the place of the closing bracket, and whether no comma is needed before it."""
        source = self.text[begin:]
        rows = source.splitlines(keepends=True)
        starts = [0]
        for row in rows:
            starts.append(starts[-1] + len(row))
        depth, last = 0, ""
        for token in tokenize.generate_tokens(io.StringIO(source).readline):
            if token.type == tokenize.OP and token.string in "([{":
                depth += 1
            elif token.type == tokenize.OP and token.string in ")]}":
                depth -= 1
                if depth == 0:
                    line, column = token.start
                    return begin + starts[line - 1] + column, last in ("(", ",")
            if token.type not in (tokenize.NL, tokenize.COMMENT, tokenize.NEWLINE):
                last = token.string
        raise AssertionError("a definition without brackets")
