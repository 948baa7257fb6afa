package app

import (
	"context"
	"encoding/hex"
	"fmt"

	"codicil/internal/actor"
	"codicil/internal/app/books"
	"codicil/internal/contract"
	"codicil/internal/exchange"
	"codicil/internal/store"
	"codicil/internal/view"
)

// Filed tells by what a codicil on paper is recognised. Cost: the rule book after it.
func (a *App) Filed(ctx context.Context, id int64) (contract.CodicilFiled, error) {
	c, err := a.Codicils.Get(ctx, id)
	if err != nil {
		return contract.CodicilFiled{}, err
	}
	filed := contract.CodicilFiled{Contents: c.Hash, At: a.base.Clock().UTC(), By: actor.Of(ctx).Name}
	entry, chain, err := a.store.EntryOf(ctx, "codicil", fmt.Sprint(id), string(store.CodicilInForce))
	if err != nil {
		return filed, err
	}
	filed.Entry, filed.Trail = entry, hex.EncodeToString(chain)
	if c.State != contract.CodicilInForce {
		return filed, nil
	}
	v, err := a.Codicils.View(ctx, fmt.Sprintf("codicil-%d", id))
	if err != nil {
		return filed, err
	}
	shown, err := a.Viewed(ctx, v)
	if err != nil {
		return filed, err
	}
	filed.Book, err = shown.Books.Hash(ctx)
	return filed, err
}

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
		made, err = a.Codicils.Move(ctx, made.ID, contract.CodicilMove{State: contract.CodicilWithdrawn, Version: made.Version, Reason: "the file says nothing that is not in force"})
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
