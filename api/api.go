// Package api holds the HTTP contract.
package api

import _ "embed"

// OpenAPI is the contract, as OpenAPI 3.0.
//
//go:embed openapi.yaml
var OpenAPI []byte

// BookSchema is the JSON Schema (draft 2020-12) of a book's file.
//
//go:embed book.schema.json
var BookSchema []byte
