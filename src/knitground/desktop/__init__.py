"""At home on a desktop: menu entry, icon, file type, man page, completion."""
