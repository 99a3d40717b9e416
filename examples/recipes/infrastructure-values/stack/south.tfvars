host = "south.tide.example"
