"""Tethers: what keeps programs finding a library after it moved. One file a kind; `registry` lists them."""
