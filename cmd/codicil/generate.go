package main

import (
	"fmt"
	"time"

	"github.com/spf13/cobra"

	"codicil/internal/demo"
)

func generateCommand() *cobra.Command {
	var data string
	var size demo.Size
	var seed uint64
	c := &cobra.Command{
		Use:   "generate",
		Short: "Add made-up vendors and posted documents to a file, through its rules, to try it at any size",
		Args:  cobra.NoArgs,
		RunE: func(c *cobra.Command, _ []string) error {
			if size.Vendors < 0 || size.Documents < 0 || size.Lines < demo.FewestLines || size.Lines > demo.MostLines {
				return fmt.Errorf("a file has no fewer than 0 vendors and documents, and a document from %d to %d lines", demo.FewestLines, demo.MostLines)
			}
			begun := time.Now()
			return demo.Generate(c.Context(), data, size, seed, func(what string, done, of int) {
				_, _ = fmt.Fprintf(c.OutOrStdout(), "%d of %d %s after %s\n", done, of, what, time.Since(begun).Round(time.Second))
			})
		},
	}
	c.Flags().StringVar(&data, "data", "", "database file; where it is missing it is begun with the demo data")
	c.Flags().IntVar(&size.Vendors, "vendors", 0, "how many vendors to add")
	c.Flags().IntVar(&size.Documents, "documents", 0, "how many vendor invoices to add and post")
	c.Flags().IntVar(&size.Lines, "lines", demo.FewestLines, "how many lines each of them has")
	c.Flags().Uint64Var(&seed, "seed", 1, "another number makes other records")
	_ = c.MarkFlagRequired("data")
	return c
}
