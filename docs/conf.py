"""The site of the documents: `make docs` writes it to build/docs, without a network."""

project = "Dreck"
extensions = ["myst_parser", "sphinx.ext.autodoc", "sphinx.ext.napoleon", "sphinx.ext.viewcode"]
source_suffix = {".md": "markdown"}
exclude_patterns = ["screenshots"]
html_theme = "alabaster"
html_theme_options = {
    "description": "Straightens tangled conditional logic.",
    "page_width": "1100px",
    "font_family": "sans-serif",
}
html_show_sourcelink = False
myst_heading_anchors = 3
autodoc_typehints = "description"
autodoc_member_order = "bysource"
suppress_warnings = ["myst.xref_missing", "misc.highlighting_failure"]
