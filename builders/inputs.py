"""Whatever a form of ours lets through, for properties: any values inside the bounds of a model's own fields."""

from typing import Any, Literal, get_args, get_origin

from hypothesis import strategies as st
from pydantic import BaseModel


def values(model: type[BaseModel]) -> st.SearchStrategy[dict[str, Any]]:
    """Any values that a model's own fields let through, their bounds among them."""
    return st.fixed_dictionaries(
        {name: _any(info) for name, info in model.model_fields.items() if name not in ("last", "laid", "paths")}
    )


def _any(info: Any) -> st.SearchStrategy[Any]:
    plain = get_origin(info.annotation) in (None, Literal, tuple)
    kinds = [info.annotation] if plain else list(get_args(info.annotation))
    options = [value for one in kinds if get_origin(one) is Literal for value in get_args(one)]
    if options:
        return st.sampled_from(options)
    if info.annotation is bool:
        return st.booleans()
    if str in kinds:
        return st.just(info.default)
    bounds = {
        key: value
        for mark in info.metadata
        for key in ("ge", "gt", "le")
        if (value := getattr(mark, key, None)) is not None
    }
    low, high = bounds.get("ge", bounds.get("gt", -1e6)), bounds.get("le", 1e6)
    if int in kinds:
        found: st.SearchStrategy[Any] = st.integers(int(low), int(high))
    else:
        found = st.floats(low, high, exclude_min="gt" in bounds, allow_nan=False) | st.sampled_from(
            [high, max(low, high / 7)]
        )
    return found | st.none() if type(None) in kinds else found
