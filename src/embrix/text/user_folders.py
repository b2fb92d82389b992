"""The folders in which a user's own files are. The library that knows them is loaded when one is
asked for: most commands need none."""

from __future__ import annotations

from pathlib import Path


def state_folder() -> Path:
    """Where drafts, logs and what was left last are kept."""
    import platformdirs

    return Path(platformdirs.user_state_dir("embrix"))


def data_folder() -> Path:
    """Where the user's copy of the shipped course is."""
    import platformdirs

    return Path(platformdirs.user_data_dir("embrix"))


def config_folder() -> Path:
    """Where it is kept what the user has allowed."""
    import platformdirs

    return Path(platformdirs.user_config_dir("embrix"))


class _Cache:
    on = False


def use_cache(*, on: bool = True) -> None:
    """Keep in the cache folder what can be made again. A library that only computes leaves nothing
    behind unless it is asked to."""
    _Cache.on = on


def cache_in_use() -> bool:
    """Whether anything is to be kept there, or looked for."""
    return _Cache.on


def cache_folder() -> Path:
    """Where it is kept what can be made again: it may be deleted at any time."""
    import platformdirs

    return Path(platformdirs.user_cache_dir("embrix"))
