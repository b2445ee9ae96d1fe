"""Code for the maker's own board: generated C99, what proves it equal to the core, and foreign C put to the same proof."""
