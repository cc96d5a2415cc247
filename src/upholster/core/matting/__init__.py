"""What a small trained network says of the subject's colours where they are not plain to see."""
