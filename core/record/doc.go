// Package record holds what rules act on: kinds with their sections and fields,
// companies, types, and how a value fits a field.
//
// A kind is data: nothing here knows vendors or orders. The package must never
// know rules, storage or screens. Start reading at Kind; Read, Settle and Show
// are what happens to a value on its way in, when it is finished, and on its way out.
package record
