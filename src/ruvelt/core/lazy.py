"""Values worked out at first use, without a lock.

`functools.cached_property` of Python 3.11 holds one lock for a property of all instances while it computes. Where computing waits for a
thread pool whose threads ask for the same property, everything would wait for ever; two threads computing the same value do no harm.
"""

from __future__ import annotations

from collections.abc import Callable
from typing import Any, Generic, TypeVar, overload

T = TypeVar("T")


class lazy(Generic[T]):
    def __init__(self, compute: Callable[[Any], T]) -> None:
        self._compute, self.__doc__ = compute, compute.__doc__

    def __set_name__(self, owner: type, name: str) -> None:
        self._name = name

    @overload
    def __get__(self, instance: None, owner: type) -> lazy[T]: ...

    @overload
    def __get__(self, instance: object, owner: type) -> T: ...

    def __get__(self, instance: object | None, owner: type) -> lazy[T] | T:
        if instance is None:
            return self
        # Kept under the same name in the instance, where Python looks before it asks this descriptor again.
        value = instance.__dict__[self._name] = self._compute(instance)
        return value
