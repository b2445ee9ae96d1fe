"""The window itself: its parts, menus and actions, where notes lead, and the ways into a project."""
