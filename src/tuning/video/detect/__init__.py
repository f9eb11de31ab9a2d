"""What is seen in one picture, or from one to the next: stickers, their covering, the motion of the camera."""
