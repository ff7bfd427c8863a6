"""Tables of published standards: metric threads, nuts, screws and their holes; every row says where it comes from."""
