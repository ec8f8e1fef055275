"""JSON as it is taken: strict, and of a depth that nothing stumbles over."""

from __future__ import annotations

from collections.abc import Mapping
from typing import IO, Any

from pydantic_core import from_json
from rest_framework.exceptions import ParseError
from rest_framework.parsers import BaseParser
from rest_framework.renderers import JSONRenderer


class StrictJSONParser(BaseParser):
    """RFC 8259 in UTF-8: no lone surrogates, no NaN, no NUL, at most two hundred levels. How long a body may be is seen to before it comes here."""

    media_type = "application/json"
    renderer_class = JSONRenderer

    def parse(self, stream: IO[bytes], media_type: str | None = None, parser_context: Mapping[str, Any] | None = None) -> Any:
        """The data; raise ParseError that says where it breaks off."""
        try:
            data = from_json(stream.read(), allow_inf_nan=False)
        except ValueError as error:
            raise ParseError(f"the body is no JSON that can be read: {error}") from error
        if (fault := _unfit(data)) is not None:
            raise ParseError(f"the body holds {fault}")
        return data


def _unfit(data: Any) -> str | None:
    """What a database or a calculation could not hold, anywhere in the data; None where there is nothing of it."""
    left = [data]
    while left:
        each = left.pop()
        if isinstance(each, dict):
            left += each.keys()
            left += each.values()
        elif isinstance(each, list):
            left += each
        elif isinstance(each, str):
            if "\0" in each:
                return "a text with a NUL in it"
        elif isinstance(each, float):
            if each in (float("inf"), float("-inf")):
                return "a number that is too large"
        elif isinstance(each, int) and not isinstance(each, bool) and not -(1 << 63) <= each < 1 << 63:
            return "a whole number that is too large"
    return None
