"""Workbooks: from zip and XML to a grid of cells, and from a grid to spans like those of text."""
