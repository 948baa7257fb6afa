// Package cache holds in memory what is read at every step of a document: reference data,
// compiled rules and plans, saved records, and the indexes over them. Each is reached through
// questions that a database can answer as well, so that it can move there.
//
// What was handed out is never changed, only replaced; the database is the truth, and a change
// of it is told here right after its commit. It must never know who asks or how anything is
// shown. Start reading at Cache.
package cache
