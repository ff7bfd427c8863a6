"""The 3-D view: a canvas that draws beside the screen, the bodies on it, the floor under them and the call-outs over them."""
