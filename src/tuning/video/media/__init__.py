"""Files, cameras and pictures: what is opened, decoded, recorded and masked."""
