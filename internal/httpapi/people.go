package httpapi

import (
	"context"

	"github.com/labstack/echo/v5"

	"codicil/internal/app/people"
	"codicil/internal/contract"
)

// GetSession tells who has signed in.
func (s *server) GetSession(ctx context.Context, _ GetSessionRequestObject) (GetSessionResponseObject, error) {
	v, err := s.door.state(ctx)
	return GetSession200JSONResponse(v), err
}

// begin answers with a session that has begun.
func (s *server) begin(ctx context.Context, issued people.Issued, err error) (entered, error) {
	if err != nil {
		return entered{}, err
	}
	state, err := s.door.session(ctx, issued.Token)
	return entered{issued.Token, issued.Lasts, state}, err
}

func (s *server) SignIn(ctx context.Context, r SignInRequestObject) (SignInResponseObject, error) {
	v, err := s.app.SignIn.Begin(ctx, *r.Body)
	return s.begin(ctx, v, err)
}

func (s *server) SignOut(ctx context.Context, _ SignOutRequestObject) (SignOutResponseObject, error) {
	return ended{}, s.app.SignIn.SignOut(ctx)
}

func (s *server) SetUp(ctx context.Context, r SetUpRequestObject) (SetUpResponseObject, error) {
	v, err := s.app.SignIn.SetUp(ctx, *r.Body)
	return s.begin(ctx, v, err)
}

func (s *server) SetPassword(ctx context.Context, r SetPasswordRequestObject) (SetPasswordResponseObject, error) {
	v, err := s.app.SignIn.SetPassword(ctx, *r.Body)
	return s.begin(ctx, v, err)
}

func (s *server) Become(ctx context.Context, r BecomeRequestObject) (BecomeResponseObject, error) {
	if !s.door.Guests {
		return nil, echo.ErrNotFound
	}
	v, err := s.app.SignIn.Become(ctx, r.Body.Person)
	return s.begin(ctx, v, err)
}

func (s *server) ChangePassword(ctx context.Context, r ChangePasswordRequestObject) (ChangePasswordResponseObject, error) {
	v, err := s.app.SignIn.ChangePassword(ctx, *r.Body)
	return s.begin(ctx, v, err)
}

// BeginProvider sends the browser to the provider of sign-ins.
func (s *server) BeginProvider(ctx context.Context, r BeginProviderRequestObject) (BeginProviderResponseObject, error) {
	if err := s.door.isOrigin(r.Body.From); err != nil {
		return nil, err
	}
	address, token, err := s.app.Provider.Begin(ctx, r.Body.From)
	return going{token, contract.ProviderGoing{Address: address}}, err
}

// FinishProvider signs in who comes back from there.
func (s *server) FinishProvider(ctx context.Context, r FinishProviderRequestObject) (FinishProviderResponseObject, error) {
	if err := s.door.isOrigin(r.Body.From); err != nil {
		return nil, err
	}
	v, err := s.app.Provider.Finish(ctx, r.Params.Token, *r.Body)
	return s.begin(ctx, v, err)
}

// AskPasskey asks for a passkey to sign in with.
func (s *server) AskPasskey(ctx context.Context, r AskPasskeyRequestObject) (AskPasskeyResponseObject, error) {
	if err := s.door.isOrigin(r.Body.From); err != nil {
		return nil, err
	}
	object, token, err := s.app.Passkeys.Ask(ctx, r.Body.From)
	return askedPasskey{token, object}, err
}

// EnterByPasskey signs in who has one.
func (s *server) EnterByPasskey(ctx context.Context, r EnterByPasskeyRequestObject) (EnterByPasskeyResponseObject, error) {
	if err := s.door.isOrigin(r.Body.From); err != nil {
		return nil, err
	}
	v, err := s.app.Passkeys.Enter(ctx, r.Params.Token, *r.Body)
	return s.begin(ctx, v, err)
}

func (s *server) ListPasskeys(ctx context.Context, _ ListPasskeysRequestObject) (ListPasskeysResponseObject, error) {
	v, err := s.app.Passkeys.List(ctx)
	return ListPasskeys200JSONResponse(v), err
}

func (s *server) BeginPasskey(ctx context.Context, r BeginPasskeyRequestObject) (BeginPasskeyResponseObject, error) {
	if err := s.door.isOrigin(r.Body.From); err != nil {
		return nil, err
	}
	v, err := s.app.Passkeys.Begin(ctx, *r.Body)
	return BeginPasskey200JSONResponse(v), err
}

func (s *server) AddPasskey(ctx context.Context, r AddPasskeyRequestObject) (AddPasskeyResponseObject, error) {
	if err := s.door.isOrigin(r.Body.From); err != nil {
		return nil, err
	}
	return AddPasskey204Response{}, s.app.Passkeys.Add(ctx, *r.Body)
}

func (s *server) RemovePasskey(ctx context.Context, r RemovePasskeyRequestObject) (RemovePasskeyResponseObject, error) {
	return RemovePasskey204Response{}, s.app.Passkeys.Remove(ctx, r.Key)
}

func (s *server) BeginFactor(ctx context.Context, r BeginFactorRequestObject) (BeginFactorResponseObject, error) {
	v, err := s.app.SignIn.BeginFactor(ctx, r.Body.Password)
	return BeginFactor200JSONResponse(v), err
}

func (s *server) ConfirmFactor(ctx context.Context, r ConfirmFactorRequestObject) (ConfirmFactorResponseObject, error) {
	v, err := s.app.SignIn.ConfirmFactor(ctx, r.Body.Code)
	return ConfirmFactor200JSONResponse(v), err
}

func (s *server) RemoveFactor(ctx context.Context, r RemoveFactorRequestObject) (RemoveFactorResponseObject, error) {
	return RemoveFactor204Response{}, s.app.SignIn.RemoveFactor(ctx, r.Body.Password)
}

func (s *server) ListSessions(ctx context.Context, _ ListSessionsRequestObject) (ListSessionsResponseObject, error) {
	v, err := s.app.SignIn.Sessions(ctx)
	return ListSessions200JSONResponse(v), err
}

func (s *server) EndSession(ctx context.Context, r EndSessionRequestObject) (EndSessionResponseObject, error) {
	return EndSession204Response{}, s.app.SignIn.EndSession(ctx, r.Key)
}

func (s *server) ListPersons(ctx context.Context, _ ListPersonsRequestObject) (ListPersonsResponseObject, error) {
	v, err := s.app.People.Persons(ctx)
	return ListPersons200JSONResponse(v), err
}

func (s *server) AddPerson(ctx context.Context, r AddPersonRequestObject) (AddPersonResponseObject, error) {
	v, err := s.app.People.Add(ctx, *r.Body)
	return AddPerson201JSONResponse(v), err
}

func (s *server) ChangePerson(ctx context.Context, r ChangePersonRequestObject) (ChangePersonResponseObject, error) {
	v, err := s.app.People.Change(ctx, r.Key, *r.Body)
	return ChangePerson200JSONResponse(v), err
}

func (s *server) ResetPerson(ctx context.Context, r ResetPersonRequestObject) (ResetPersonResponseObject, error) {
	v, err := s.app.People.Reset(ctx, r.Key)
	return ResetPerson200JSONResponse(v), err
}

func (s *server) ListRoles(ctx context.Context, _ ListRolesRequestObject) (ListRolesResponseObject, error) {
	v, err := s.app.People.Roles(ctx)
	return ListRoles200JSONResponse(v), err
}

func (s *server) SaveRole(ctx context.Context, r SaveRoleRequestObject) (SaveRoleResponseObject, error) {
	v, err := s.app.People.SaveRole(ctx, r.Key, *r.Body)
	return SaveRole200JSONResponse(v), err
}

func (s *server) DeleteRole(ctx context.Context, r DeleteRoleRequestObject) (DeleteRoleResponseObject, error) {
	return DeleteRole204Response{}, s.app.People.DeleteRole(ctx, r.Key)
}

func (s *server) ListKeys(ctx context.Context, _ ListKeysRequestObject) (ListKeysResponseObject, error) {
	v, err := s.app.Keys.List(ctx)
	return ListKeys200JSONResponse(v), err
}

func (s *server) AddKey(ctx context.Context, r AddKeyRequestObject) (AddKeyResponseObject, error) {
	v, err := s.app.Keys.Add(ctx, *r.Body)
	return AddKey201JSONResponse(v), err
}

func (s *server) RevokeKey(ctx context.Context, r RevokeKeyRequestObject) (RevokeKeyResponseObject, error) {
	return RevokeKey204Response{}, s.app.Keys.Revoke(ctx, r.Key)
}
