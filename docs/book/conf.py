"""The guide and the reference as pages of HTML, by Sphinx and MyST."""

project = "Vivid Lane"
html_title = "Vivid Lane"
copyright = "the authors of Vivid Lane, MIT or Apache-2.0"
extensions = ["myst_parser"]
source_suffix = {".md": "markdown"}
master_doc = "index"
exclude_patterns = ["book", "playground", "performance-*.md"]
myst_heading_anchors = 3
html_theme = "furo"
html_show_sphinx = False
html_copy_source = False
# Blocks of code say their language in the words of code hosts.
highlight_language = "none"
