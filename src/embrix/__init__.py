"""Embrix: a workbench for definitional interpreters of small teaching languages."""

__version__ = "0.1.0"
