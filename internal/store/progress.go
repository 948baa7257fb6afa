package store

import "context"

// Progress is told how far an older file is brought up to date: what is done, and how much of how much; of is 0 where that is not
// known.
type Progress func(what string, done, of int)

type progressKey struct{}

// WithProgress lets Open tell its progress, where a file is to be brought up to date.
func WithProgress(ctx context.Context, p Progress) context.Context {
	return context.WithValue(ctx, progressKey{}, p)
}

func tell(ctx context.Context, what string, done, of int) {
	if p, told := ctx.Value(progressKey{}).(Progress); told {
		p(what, done, of)
	}
}
