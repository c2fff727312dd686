"""Shapes with live dimensions: parameters that stay editable, and how a hand draws them."""
