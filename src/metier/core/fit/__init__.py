"""Parts that fit: holes and posts off a plate, mating parts by feel, threads."""
