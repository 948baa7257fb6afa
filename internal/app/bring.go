package app

import (
	"context"
	"fmt"

	"codicil/internal/app/books"
	"codicil/internal/contract"
	"codicil/internal/exchange"
	"codicil/internal/store"
	"codicil/internal/view"
)

// Bring reads a book into a new codicil, which is open: what it says otherwise than what is in force. title is that of the
// codicil, where the book brings none.
func (a *App) Bring(ctx context.Context, b *exchange.Book, title string) (contract.Codicil, []books.Change, error) {
	head := contract.CodicilHead{Title: title}
	if of := b.Codicil; of != nil {
		head = contract.CodicilHead{Title: of.Title, AskedBy: of.AskedBy, Reason: of.Reason, Texts: view.List(of.Texts, func(t exchange.Text) contract.CodicilText { return contract.CodicilText{Title: t.Title, Text: t.Text} })}
		if title != "" {
			head.Title = title
		}
	}
	made, err := a.Codicils.Begin(ctx, head)
	if err != nil {
		return made, nil, err
	}
	shown, err := a.Viewed(ctx, store.View{Codicil: made.ID})
	if err != nil {
		return made, nil, err
	}
	changes, err := shown.Books.Import(ctx, b, false)
	if err == nil && len(changes) == 0 {
		_, err = a.Codicils.Move(ctx, made.ID, contract.CodicilMove{State: contract.CodicilWithdrawn, Version: made.Version, Reason: "the file says nothing that is not in force"})
		return made, nil, err
	}
	if err != nil {
		now, gone := a.Codicils.Get(ctx, made.ID)
		if gone == nil {
			_, gone = a.Codicils.Move(ctx, made.ID, contract.CodicilMove{State: contract.CodicilWithdrawn, Version: now.Version, Reason: "the file could not be read in"})
		}
		if gone != nil {
			return made, nil, fmt.Errorf("%w (and codicil %d stays: %w)", err, made.ID, gone)
		}
		return made, nil, err
	}
	made, err = a.Codicils.Get(ctx, made.ID)
	return made, changes, err
}
