package httpapi

import "context"

func (s *server) WhatWaits(ctx context.Context, r WhatWaitsRequestObject) (WhatWaitsResponseObject, error) {
	v, err := s.app.Waiting.Waiting(ctx, r.Params.Since)
	return WhatWaits200JSONResponse(v), err
}
