// Package record holds what rules act on: kinds with their sections and fields,
// companies, types, layouts, and maps from one kind to a following one.
//
// A kind is data: nothing here knows vendors or orders. The package must never
// know rules, storage or screens. Start reading at Kind; what a value of a field is stands
// in package field.
package record
