"""What readers are given: entries brought together under the terms of a share, and every form of them."""
