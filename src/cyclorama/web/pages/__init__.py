"""The pages: what their templates are given."""
