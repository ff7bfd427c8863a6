"""What is printed to learn from: ladders and coupons, what is read off them, and the gap chart they lead to."""
