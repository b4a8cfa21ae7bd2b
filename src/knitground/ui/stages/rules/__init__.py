"""Rules: neighbour rules and rewrite rules, what they take, and teaching them."""
