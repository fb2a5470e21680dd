"""The configuration, for every face of the program."""

from __future__ import annotations

from nuvik.core.user_files.config_file import CHOICES, NAMES, Config, config_path, read_config, set_in_config

__all__ = ["CHOICES", "NAMES", "Config", "config_path", "read_config", "set_in_config"]
