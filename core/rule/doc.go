// Package rule holds rules: what one says, where it applies, whether its
// formulas are sound, how it reads as a sentence, and which of two goes first.
//
// It must never know documents or how rules run together (package plan, package
// engine) nor where rules are kept. Start reading at Rule and Compile.
package rule
