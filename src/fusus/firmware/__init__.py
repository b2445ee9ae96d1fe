"""C code for the maker's own board: translated from the kernels, proved equal to them; and foreign C put to the same proof."""
