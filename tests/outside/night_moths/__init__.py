"""A small package that brings a question, its shape, a reader and an export: copy it to begin one."""
