"""The map side: tabs, ribbon, canvas, layer strip."""
