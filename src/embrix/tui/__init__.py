"""The workbench: screens and widgets over the core. Computes nothing itself."""
