"""What lies behind: sky, hills, crowns; and ceilings that pass for sky."""
