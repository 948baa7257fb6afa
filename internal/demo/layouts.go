package demo

import (
	"context"
	"fmt"
	"slices"

	"codicil/core/record"
	"codicil/internal/app"
)

// unused are the fields that a type of accounting document never uses: its forms leave them out.
var unused = map[string][]string{
	"VI": {"customer", "order", "lines.customer", "lines.vendor", "lines.item", "lines.quantity", "lines.unit"},
	"VC": {"customer", "order", "lines.customer", "lines.vendor", "lines.item", "lines.quantity", "lines.unit"},
	"CI": {"vendor", "approver", "payment_block", "block_reason", "lines.vendor"},
	"JE": {"vendor", "customer", "order", "approver", "payment_terms", "payment_method", "due_on", "payment_block", "block_reason"},
	"AC": {"vendor", "customer", "order", "approver", "payment_terms", "payment_method", "due_on", "payment_block", "block_reason", "lines.vendor", "lines.customer"},
	"PY": {"order", "approver", "payment_terms", "due_on", "payment_block", "block_reason"},
}

// fillLayouts arranges the forms of accounting documents by type.
func fillLayouts(ctx context.Context, d *app.App) error {
	const kind = "accounting_document"
	for _, t := range types {
		if t.Kind != kind {
			continue
		}
		shown, err := d.Catalog.Layout(ctx, kind, "", t.Key)
		if err != nil {
			return err
		}
		layout := record.Layout{}
		for _, s := range shown.Layout.Sections {
			s.Fields = slices.Clone(s.Fields)
			for i := range s.Fields {
				s.Fields[i].Hidden = s.Fields[i].Hidden || slices.Contains(unused[t.Key], s.Fields[i].Key)
			}
			layout.Sections = append(layout.Sections, s)
		}
		if _, err := d.Catalog.SaveLayout(ctx, kind, "", t.Key, layout); err != nil {
			return fmt.Errorf("layout of %s: %w", t.Key, err)
		}
	}
	return nil
}
