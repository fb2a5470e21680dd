"""Files that users and Nuvik exchange: read with distrust, written whole or not at all."""
