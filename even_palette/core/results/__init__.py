"""What follows from a kit: planes, masks, weights, means, bakes and looks, each looked up by what it depends on."""
