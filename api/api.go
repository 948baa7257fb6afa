// Package api holds the HTTP contract.
package api

import _ "embed"

// OpenAPI is the contract, as OpenAPI 3.0.
//
//go:embed openapi.yaml
var OpenAPI []byte
