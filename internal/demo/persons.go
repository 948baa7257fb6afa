package demo

import (
	"context"

	"codicil/internal/app"
	"codicil/internal/app/people"
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
