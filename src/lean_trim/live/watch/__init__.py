"""What is watched while a car is driven: dangers, told by the sample that completes their rule."""
