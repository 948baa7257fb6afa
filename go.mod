module codicil

go 1.26.8

require (
	github.com/cockroachdb/apd/v3 v3.2.3
	github.com/stretchr/testify v1.12.1
	github.com/woodsbury/decimal128 v1.4.1
	pgregory.net/rapid v1.3.0
)

require (
	go.yaml.in/yaml/v3 v3.0.5 // indirect
	golang.org/x/text v0.43.0 // indirect
)
