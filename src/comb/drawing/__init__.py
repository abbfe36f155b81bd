"""Pictures: what is drawn and from which numbers (pure), and the one module that knows Matplotlib."""
