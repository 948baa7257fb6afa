// Package cache holds in memory what is read at every step of a document: reference data,
// compiled rules and plans, and saved records that were read lately, within a bound. What is asked of many
// records is asked of the database.
//
// What was handed out is never changed, only replaced; the database is the truth, and a change
// of it is told here right after its commit. It must never know who asks or how anything is
// shown. Start reading at Cache.
package cache
