"""What lies round a capture: paper, frames, a program's window."""
