"""The motion rules, one file each: the kernel, what it remembers, and how data is bound to it."""

from importlib import import_module
from pkgutil import iter_modules

for _module in iter_modules(__path__):
    import_module(f"{__name__}.{_module.name}")
