"""Checking: from a function's source to a tree in which every expression has a type.

A variable has the type of its first value. Integers become floats where a float is required, as in
Python. Code outside the subset is refused with its file and line.
"""

import ast
from collections.abc import Callable, Iterable, Mapping, Sequence
from typing import Any, get_args, get_origin

from tinrocket.language import tree
from tinrocket.language.expressions import Expressions
from tinrocket.language.subset import PACKAGE, Source, SubsetError, is_own, source_of
from tinrocket.language.tree import Kind


class Checker:
    """Checker of functions and all that they call, each once.

    Parameters
    ----------
    kept
        Shared table of the package's own kernels, which are checked and printed once.
    """

    def __init__(self, kept: "Checker | None" = None) -> None:
        self.kept = kept
        self.functions: dict[str, tree.Function] = {}
        self.known: dict[Callable[..., Any], tree.Function] = {}
        """Functions that are called by others, already checked."""

    def function(
        self, source: Source, parameters: Mapping[str, Kind] | None = None
    ) -> tree.Function:
        """Check a function and return its tree, registered under its name.

        Parameters
        ----------
        source
            The function.
        parameters
            Types of its parameters that it does not annotate itself.

        Raises
        ------
        SubsetError
            If it leaves the subset, or calls something that does.
        """
        signature = _Signature(source, parameters or {})
        name = source.tree.name
        while name in self.functions:
            name += "_"
        function = tree.Function(name, signature.parameters, signature.results)
        self.functions[name] = function
        _Body(self, source, function).check()
        return function

    def called(self, function: Callable[..., Any]) -> tree.Function:
        """Return a kernel that another one calls."""
        own = is_own(function)
        if own and self.kept is not None and function not in self.known:
            return self._taken(self.kept.called(function))
        if function not in self.known:
            source = source_of(function)
            signature = _Signature(source, {})
            name = source.tree.name
            if own:
                name = f"{function.__module__.removeprefix(f'{PACKAGE}.')}.{name}"
            while name in self.functions:
                name += "_"
            checked = tree.Function(name, signature.parameters, signature.results)
            self.functions[name] = self.known[function] = checked
            _Body(self, source, checked).check()
        return self.known[function]

    def _taken(self, function: tree.Function) -> tree.Function:
        """Return a shared function, and register it here with all that it calls."""
        if function.name not in self.functions:
            self.functions[function.name] = function
            for called in function.calls.values():
                self._taken(called)
        return function


class _Signature:
    """Types of parameters and results, from a function's annotations."""

    def __init__(self, source: Source, given: Mapping[str, Kind]) -> None:
        self.parameters = {}
        for argument in source.tree.args.args:
            kind = given.get(argument.arg)
            if kind is None:
                if argument.annotation is None:
                    raise SubsetError(source, argument, f"annotate the parameter '{argument.arg}'")
                kind = _annotated(source, argument.annotation)
            self.parameters[argument.arg] = kind
        returns = source.tree.returns
        self.results: tuple[Kind, ...] = ()
        if returns is not None and not (
            isinstance(returns, ast.Constant) and returns.value is None
        ):
            kind = _annotated(source, returns)
            origin: object = get_origin(kind)
            self.results = get_args(kind) if origin is tuple else (kind,)


def _annotated(source: Source, annotation: ast.expr) -> Kind:
    if isinstance(annotation, ast.Constant) and isinstance(annotation.value, str):
        annotation = ast.parse(annotation.value, mode="eval").body
    if isinstance(annotation, ast.Name) and annotation.id in source.names:
        return source.names[annotation.id]
    if isinstance(annotation, ast.Subscript) and isinstance(annotation.slice, ast.Tuple):
        return tuple[tuple(_annotated(source, element) for element in annotation.slice.elts)]  # type: ignore[misc]
    raise SubsetError(source, annotation, f"'{ast.unparse(annotation)}' is no type of a kernel")


class _Body(Expressions):
    """Checker of the statements of one function, in order."""

    def check(self) -> None:
        self.into.body = self.block(self.source.tree.body)
        self.into.variables = {
            name: kind for name, kind in self.kinds.items() if name not in self.into.parameters
        }

    # Statements

    def block(self, body: Iterable[ast.stmt]) -> list[tree.Statement]:
        return [done for statement in body for done in self.statement(statement)]

    def statement(self, node: ast.stmt) -> list[tree.Statement]:
        match node:
            case ast.Pass() | ast.Expr(value=ast.Constant()):
                return []
            case ast.Assign(targets=targets, value=value):
                return self.assign(targets, value)
            case ast.AnnAssign(target=target, value=ast.expr() as value):
                return self.assign([target], value)
            case ast.AugAssign(target=target, op=op, value=value):
                again = ast.copy_location(ast.BinOp(_loaded(target), op, value), node)
                return self.assign([target], again)
            case ast.If(test=test, body=yes, orelse=no):
                return [tree.If(self.truth(test), self.block(yes), self.block(no))]
            case ast.For():
                return [self.loop(node)]
            case ast.Break() | ast.Continue():
                return [tree.Leave(isinstance(node, ast.Continue))]
            case ast.Return(value=value):
                return [self.returned(node, value)]
            case ast.Expr(value=ast.Call() as call):
                return [tree.Do(self.call(call))]
        self.unknown(node)

    def assign(self, targets: Sequence[ast.expr], value: ast.expr) -> list[tree.Statement]:
        if len(targets) > 1:
            first = self.assign([targets[-1]], value)
            return first + [
                done
                for assigned in targets[:-1]
                for done in self.assign([assigned], _loaded(targets[-1]))
            ]
        target = targets[0]
        if isinstance(target, ast.Tuple):
            return self.assign_many(target.elts, value)
        if isinstance(target, ast.Name):
            name, value_kind = self.variable(target), self.expression(value)
            return [tree.Assign([name], [self.declared(target, name, value_kind)])]
        place, offset, kind = self.place(target)
        return [tree.Store(place, offset, self.wanted(value, self.expression(value), kind))]

    def assign_many(self, targets: Sequence[ast.expr], value: ast.expr) -> list[tree.Statement]:
        if isinstance(value, ast.Tuple):
            if len(value.elts) != len(targets):
                self.refuse(value, f"{len(targets)} names for {len(value.elts)} values")
            values = [self.expression(element) for element in value.elts]
        else:
            call = self.expression(value)
            if not isinstance(call, tree.Call) or not isinstance(call.kind, tuple):
                self.refuse(value, "only a kernel with several results gives several values")
            if len(call.kind) != len(targets):
                self.refuse(value, f"{len(targets)} names for {len(call.kind)} results")
            values = [call]
        kinds = (
            [expression.kind for expression in values] if len(values) > 1 else list(values[0].kind)
        )
        names, after = [], []
        for index, (target, kind) in enumerate(zip(targets, kinds, strict=True)):
            if isinstance(target, ast.Name):
                name = self.variable(target)
                if len(values) > 1:
                    values[index] = self.declared(target, name, values[index])
                else:
                    self.declared(target, name, tree.Expression(kind))
            else:  # a field is written through a temporary variable
                name = f"_value{len(self.kinds)}"
                self.kinds[name] = kind
                place, offset, wanted = self.place(target)
                if wanted is not kind:
                    self.refuse(target, f"give it a {wanted.__name__}")
                after.append(tree.Store(place, offset, tree.Local(kind, name)))
            names.append(name)
        return [tree.Assign(names, values), *after]

    def variable(self, target: ast.Name) -> str:
        return target.id

    def declared(self, node: ast.AST, name: str, value: tree.Expression) -> tree.Expression:
        """Return a value converted to the type of a variable, which is new or has one."""
        if name not in self.kinds:
            if value.kind is None or isinstance(value.kind, tuple):
                self.refuse(node, f"'{name}' would be no single value")
            self.kinds[name] = value.kind
            return value
        return self.wanted(node, value, self.kinds[name], name)

    def loop(self, node: ast.For) -> tree.Statement:
        call = node.iter
        if not (
            isinstance(node.target, ast.Name)
            and isinstance(call, ast.Call)
            and isinstance(call.func, ast.Name)
            and call.func.id == "range"
            and len(call.args) in (1, 2)
            and not node.orelse
        ):
            self.refuse(node, "a loop is 'for n in range(count)' or 'range(first, past)'")
        bounds = [self.wanted(argument, self.expression(argument), int) for argument in call.args]
        first = bounds[0] if len(bounds) > 1 else tree.Constant(int, 0)
        self.declared(node, node.target.id, tree.Expression(int))
        return tree.Loop(node.target.id, first, bounds[-1], self.block(node.body))

    def returned(self, node: ast.stmt, value: ast.expr | None) -> tree.Statement:
        results = self.into.results
        if value is None:
            if results:
                self.refuse(node, "it returns values elsewhere; return them here too")
            return tree.Return([])
        parts = value.elts if isinstance(value, ast.Tuple) else [value]
        if len(parts) == 1 and len(results) > 1:
            call = self.expression(value)
            if call.kind == results:
                return tree.Return([call])
        if len(parts) != len(results):
            self.refuse(node, f"its annotation promises {len(results)} values")
        return tree.Return(
            [
                self.wanted(part, self.expression(part), kind)
                for part, kind in zip(parts, results, strict=True)
            ]
        )


def _loaded(target: ast.expr) -> ast.expr:
    """Return a target of an assignment as the expression that reads it."""
    copy = ast.parse(ast.unparse(target), mode="eval").body
    for node in ast.walk(copy):
        ast.copy_location(node, target)
    return copy
