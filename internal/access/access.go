// Package access refuses what somebody may not do or see. Every use case begins with one of its questions.
//
// Companies that are not somebody's do not exist for them: what is asked about one is answered as if there were none.
// It must never know how people sign in. Start reading at Need.
package access

import (
	"context"
	"slices"

	"codicil/core/notice"
	"codicil/internal/actor"
	"codicil/internal/fault"
)

// The refusals.
var (
	NotAllowed = notice.Define("not-allowed", "you may not do this: it takes the permission {permission:q}. Ask who keeps the persons and their roles")
	NotForKind = notice.Define("not-allowed.kind", "you may not do this for this kind of record: it takes the permission {permission:q}. Ask who keeps the persons and their roles")
	NotForAll  = notice.Define("not-allowed.companies", "this holds in companies that are not yours; a person of all of them can change it")
	NotNobody  = notice.Define("sign-in-needed", "sign in first")
)

// Titles are what people call the permissions.
var Titles = map[actor.Permission]string{
	actor.RecordsRead: "See records", actor.RecordsChange: "Enter and change records", actor.RecordsPost: "Post and reverse", actor.RecordsMany: "Load, merge and derive many records",
	actor.RecordsExport: "Export records", actor.LedgerRead: "See ledgers", actor.PracticePost: "Post test documents", actor.RulesRead: "See rules, tables and proofs",
	actor.RulesChange: "Write rules", actor.RulesForce: "Put rules in force", actor.TablesChange: "Change tables", actor.SetupChange: "Change companies, types, fields and layouts",
	actor.ProofsChange: "Keep and accept proofs", actor.PersonsChange: "Keep persons, roles and keys", actor.TrailRead: "See the trail", actor.BackupMake: "Make backups",
	actor.PersonalBlank: "Blank personal values",
}

func deny(d *notice.Definition, p actor.Permission) error {
	return &fault.Fault{Reason: fault.Forbidden, Notice: d.With(Titles[p])}
}

// Person refuses nobody: what everybody may who is signed in.
func Person(ctx context.Context) error {
	if actor.Of(ctx).ID == "" {
		return &fault.Fault{Reason: fault.Unknown, Notice: NotNobody.With()}
	}
	return nil
}

// Need refuses who has none of some permissions; the first is the one that is told.
func Need(ctx context.Context, any ...actor.Permission) error { return NeedFor(ctx, "", any...) }

// NeedFor refuses who has none of some permissions for a kind of records; "": for any kind at all.
func NeedFor(ctx context.Context, kind string, any ...actor.Permission) error {
	if err := Person(ctx); err != nil {
		return err
	}
	who := actor.Of(ctx)
	for _, p := range any {
		if who.Rights.Has(p, kind) {
			return nil
		}
	}
	for _, p := range any {
		if who.Rights.Has(p, "") {
			return deny(NotForKind, p)
		}
	}
	return deny(NotAllowed, any[0])
}

// Has tells whether somebody has a permission for a kind of records.
func Has(ctx context.Context, p actor.Permission, kind string) bool {
	who := actor.Of(ctx)
	return who.Rights.Has(p, kind)
}

// In tells whether a company is theirs.
func In(ctx context.Context, company string) bool {
	who := actor.Of(ctx)
	return who.Rights.In(company)
}

// Everywhere tells whether every company is theirs.
func Everywhere(ctx context.Context) bool {
	who := actor.Of(ctx)
	return who.Rights.All()
}

// Company refuses a company that is not theirs, as one that does not exist; "" stands for all.
func Company(ctx context.Context, company string) error {
	if company == "" || In(ctx, company) {
		return nil
	}
	return fault.Bad(fault.UnknownCompany, company)
}

// Companies refuses the change of what holds in some companies, or, where there are none, in all, to whom they do not all
// belong.
func Companies(ctx context.Context, companies []string) error {
	if Everywhere(ctx) {
		return nil
	}
	if len(companies) == 0 || slices.ContainsFunc(companies, func(c string) bool { return !In(ctx, c) }) {
		return &fault.Fault{Reason: fault.Forbidden, Notice: NotForAll.With()}
	}
	return nil
}

// Narrow keeps of companies, of which none stands for all, those that are theirs; none is true where nothing is left.
func Narrow(ctx context.Context, companies []string) (kept []string, none bool) {
	who := actor.Of(ctx)
	switch {
	case who.Rights.All():
		return companies, false
	case len(companies) == 0:
		kept = slices.Clone(who.Rights.Companies)
	default:
		kept = slices.DeleteFunc(slices.Clone(companies), func(c string) bool { return !who.Rights.In(c) })
	}
	return kept, len(kept) == 0
}

// Scope are the companies that somebody may see; nil: all.
func Scope(ctx context.Context) []string {
	who := actor.Of(ctx)
	if who.Rights.All() {
		return nil
	}
	return append([]string{}, who.Rights.Companies...)
}

// Shown is a company as somebody may see it: "" where it is not theirs.
func Shown(ctx context.Context, company string) string {
	if In(ctx, company) {
		return company
	}
	return ""
}

// Touches tells whether what holds in some companies, or, where there are none, in all, holds in one of theirs.
func Touches(ctx context.Context, companies []string) bool {
	_, none := Narrow(ctx, companies)
	return !none
}
