package demo

import (
	"context"

	"codicil/internal/app"
	"codicil/internal/app/people"
	"codicil/internal/oidc/simulated"
)

// First is the person as whom the demo begins.
const First = Author

// persons are those of Brinewell.
var persons = []people.Founding{
	{ID: Author, Name: Author, SignIn: "moya.keane", Roles: []string{"administrator", "keeper", "signer", "operator", "reader"}},
	{ID: "Tobias Rell", Name: "Tobias Rell", SignIn: "tobias.rell", Roles: []string{"keeper"}},
	{ID: "Ines Carrow", Name: "Ines Carrow", SignIn: "ines.carrow", Roles: []string{"signer"}},
	{ID: "Jun Aoki", Name: "Jun Aoki", SignIn: "jun.aoki", Companies: []string{"30"}, Roles: []string{"operator"}},
	{ID: "Petra Vance", Name: "Petra Vance", SignIn: "petra.vance", Roles: []string{"reader"}},
}

func fillPersons(ctx context.Context, d *app.App) error {
	for _, p := range persons {
		if err := d.People.Found(ctx, p); err != nil {
			return err
		}
	}
	return nil
}

// Provider is the name of the simulated provider of sign-ins of Brinewell.
const Provider = "Brinewell ID"

// Provided are the persons whom it knows: two of the demo, one who is new to it, and one for whom there is nothing to do.
var Provided = []simulated.Person{
	{Subject: "b-1007", Name: "Moya Keane", Claims: map[string]any{"preferred_username": "moya.keane", "groups": []string{"codicil-administrators", "codicil-rules", "codicil-clerks", "codicil-readers", "all-sites"}}},
	{Subject: "b-1042", Name: "Jun Aoki", Claims: map[string]any{"preferred_username": "jun.aoki", "groups": []string{"codicil-clerks", "site-30"}}},
	{Subject: "b-1113", Name: "Nell Farrow", Claims: map[string]any{"preferred_username": "nell.farrow", "groups": []string{"codicil-readers", "site-10"}}},
	{Subject: "b-1200", Name: "Odo Marsh", Claims: map[string]any{"preferred_username": "odo.marsh", "groups": []string{"canteen", "site-10"}}},
}

// Mapping says what that provider's groups mean.
func Mapping(issuer string) people.Mapping {
	return people.Mapping{
		Name: Provider, Issuer: issuer, SignIn: "preferred_username", Link: true, Add: true,
		RolesFrom: "groups", Roles: map[string][]string{"codicil-administrators": {"administrator"}, "codicil-rules": {"keeper", "signer"}, "codicil-clerks": {"operator"}, "codicil-readers": {"reader"}},
		CompaniesFrom: "groups", Companies: map[string][]string{"all-sites": {people.All}, "site-10": {"10"}, "site-20": {"20"}, "site-30": {"30"}},
	}
}
