"""Loading the file with the update function: executed because the user named it."""

import importlib.util
import inspect
import sys
from dataclasses import dataclass
from pathlib import Path
from types import FunctionType, ModuleType
from typing import Any

from tinrocket.errors import FileError, OptionError, UnknownNameError, nearest
from tinrocket.files import read_text


@dataclass(frozen=True, slots=True, eq=False)
class Loaded:
    """An update function, and its file.

    Attributes
    ----------
    function
        The function; of a method the plain function.
    owner
        The class of a method, or None.
    instance
        The object whose method it is, or None.
    path
        The file.
    text
        Its text.
    name
        Its name on the command line, such as ``game.py:update``.
    """

    function: FunctionType
    owner: type | None
    instance: Any
    path: Path
    text: str
    name: str

    @property
    def space(self) -> dict[str, Any]:
        """Global names of its file."""
        return self.function.__globals__


def is_own_update(named: str | Path) -> bool:
    """Return whether a name is one of an update function, such as ``game.py:update``."""
    file, colon, name = str(named).rpartition(":")
    return bool(colon) and file.endswith(".py") and bool(name)


def load(named: str | Path) -> tuple[Loaded, ModuleType]:
    """Execute a file, and return its update function of a name.

    Parameters
    ----------
    named
        ``FILE.py:NAME``, of a function, a method ``Class.method`` or ``object.method``.

    Raises
    ------
    FileError
        If the file cannot be read.
    OptionError
        If it is not Python, fails when it is executed, or has no such function.
    UnknownNameError
        If the name does not exist.
    """
    file, _colon, name = str(named).rpartition(":")
    path = Path(file)
    text = read_text(path)
    try:
        compile(text, str(path), "exec")
    except SyntaxError as error:
        raise OptionError(f"{path}:{error.lineno}: {error.msg}") from None
    except (ValueError, RecursionError, MemoryError) as error:
        raise OptionError(f"{path}: cannot be compiled: {error}") from None
    module = _executed(path)
    return _named(module, name, path, text, str(named)), module


def _executed(path: Path) -> ModuleType:
    spec = importlib.util.spec_from_file_location(f"_own_{path.stem}", path)
    if spec is None or spec.loader is None:
        raise FileError(f"{path}: is no Python file")
    module = importlib.util.module_from_spec(spec)
    folder, known = str(path.resolve().parent), list(sys.path)
    sys.path.insert(0, folder)
    sys.modules[module.__name__] = module  # dataclasses look up their module
    try:
        spec.loader.exec_module(module)
    except SystemExit:
        raise OptionError(
            f"{path}: ended the program while it was loaded; put that below "
            f'if __name__ == "__main__":'
        ) from None
    except Exception as error:  # the user's file may raise anything
        line = _line_of(error, path)
        where = f"{path}:{line}" if line else str(path)
        raise OptionError(f"{where}: {type(error).__name__}: {error}") from error
    finally:
        sys.path[:] = known
    return module


def _line_of(error: BaseException, path: Path) -> int | None:
    line = None
    step = error.__traceback__
    while step is not None:
        if step.tb_frame.f_code.co_filename == str(path):
            line = step.tb_lineno
        step = step.tb_next
    return line


def _named(module: ModuleType, name: str, path: Path, text: str, named: str) -> Loaded:
    parts = name.split(".")
    owner: Any = None
    thing: Any = module
    for part in parts:
        if not hasattr(thing, part):
            known = [
                attribute for attribute in vars(thing) if callable(getattr(thing, attribute, None))
            ]
            known = [attribute for attribute in known if not attribute.startswith("_")]
            raise UnknownNameError(f"{path}: there is no '{name}'{nearest(part, known)}")
        owner, thing = thing, getattr(thing, part)
    return loaded_from(thing, owner if owner is not module else None, path, text, named)


def loaded_from(thing: Any, owner: Any, path: Path | None, text: str | None, named: str) -> Loaded:
    """Return the update function of an object; OptionError if it is not one."""
    instance = None
    if inspect.ismethod(thing):
        instance, thing = thing.__self__, thing.__func__
        owner = type(instance)
    if not isinstance(thing, FunctionType):
        raise OptionError(f"{named} is no function of Python but {type(thing).__name__}")
    if owner is not None and not isinstance(owner, type):
        owner = type(owner)
    if "<locals>" in thing.__qualname__:
        raise OptionError(f"{named} is defined within a function; define it at the top of a file")
    if path is None:
        source = inspect.getsourcefile(thing)
        try:
            lines, _first = inspect.findsource(thing)
        except OSError:
            raise OptionError(
                f"{named} has no source that can be read; define it in a file"
            ) from None
        path, text = Path(source or "update.py"), "".join(lines)
    elif Path(thing.__code__.co_filename).resolve() != path.resolve():
        raise OptionError(f"{named} is defined in {thing.__code__.co_filename}; name it there")
    return Loaded(thing, owner, instance, path, text or "", named)
