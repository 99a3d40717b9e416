module tide.example/alerts

go 1.24
