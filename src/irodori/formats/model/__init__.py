"""Models as files: what each format holds, as named parts with their materials."""
