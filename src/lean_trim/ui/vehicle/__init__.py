"""What a vehicle is typed into, shared by the page for a new job and the Vehicle desk."""
