"""The browser's side: one blueprint a page, in `pages`; each route calls one use case."""
