"""What pages of every part share: how they ask, what they keep of texts, files that leave."""
