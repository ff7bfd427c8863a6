"""What each snap fit is made of: its sizes, its mechanics and its shape; the kinds themselves judge and offer them."""
