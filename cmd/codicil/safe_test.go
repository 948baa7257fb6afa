package main

import (
	"bytes"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"codicil/internal/demo"
	"codicil/internal/store"
)

func TestABackupIsMadeCheckedAndRestored(t *testing.T) {
	folder := t.TempDir()
	data, file, restored := filepath.Join(folder, "codicil.db"), filepath.Join(folder, "today.backup"), filepath.Join(folder, "new", "codicil.db")
	require.NoError(t, demo.Write(t.Context(), data))
	_, errs, failed := run(t, "", "backup", "--to", file, "--data", data)
	require.False(t, failed, errs)
	_, errs, failed = run(t, "", "backup", "--to", file, "--data", data)
	assert.True(t, failed)
	assert.Contains(t, errs, "is there already")
	out, errs, failed := run(t, "", "check", file)
	require.False(t, failed, errs)
	assert.Contains(t, out, "Sound:")
	out, errs, failed = run(t, "", "restore", "--from", file, "--data", restored)
	require.False(t, failed, errs)
	assert.Contains(t, out, "Restored the backup of 20")
	_, errs, failed = run(t, "", "restore", "--from", file, "--data", data)
	assert.True(t, failed)
	assert.Contains(t, errs, "nothing was written over it")
	for _, path := range []string{restored, file} {
		out, errs, failed = run(t, "", "trail", "verify", "--data", path)
		require.False(t, failed, errs)
		assert.Contains(t, out, "The trail is whole")
	}
	text, err := os.ReadFile(file)
	require.NoError(t, err)
	text[len(text)/2] ^= 1
	require.NoError(t, os.WriteFile(file, text, 0o600))
	for _, arguments := range [][]string{{"check", file}, {"restore", "--from", file, "--data", filepath.Join(folder, "x.db")}, {"check", filepath.Join(folder, "nowhere")}} {
		_, errs, failed = run(t, "", arguments...)
		assert.True(t, failed, "%v", arguments)
		assert.NotEmpty(t, errs)
	}
}

func TestATrailIsVerifiedAgainstHeadsKeptOutside(t *testing.T) {
	folder := t.TempDir()
	data, heads := filepath.Join(folder, "codicil.db"), filepath.Join(folder, "heads")
	require.NoError(t, demo.Write(t.Context(), data))
	s, err := store.Open(t.Context(), data)
	require.NoError(t, err)
	head, err := s.TrailHead(t.Context())
	require.NoError(t, err)
	require.NoError(t, s.Close())
	require.NoError(t, os.WriteFile(heads, []byte(head.String()+" 2026-11-24T08:00:00Z\n\n"), 0o600))
	out, errs, failed := run(t, "", "trail", "verify", "--data", data, "--heads", heads)
	require.False(t, failed, errs)
	assert.Contains(t, out, "1 heads that were kept outside")
	head.Last += 10
	require.NoError(t, os.WriteFile(heads, []byte(head.String()+"\n"), 0o600))
	_, errs, failed = run(t, "", "check", data, "--heads", heads)
	assert.True(t, failed)
	assert.Contains(t, errs, "is not sound")
	require.NoError(t, os.WriteFile(heads, []byte("nonsense\n"), 0o600))
	_, errs, failed = run(t, "", "trail", "verify", "--data", data, "--heads", heads)
	assert.True(t, failed)
	assert.Contains(t, errs, "line 1")
}

func TestSettingsComeFromFlagsEnvironmentAndFile(t *testing.T) {
	file := filepath.Join(t.TempDir(), "codicil.yaml")
	require.NoError(t, os.WriteFile(file, []byte("address: 127.0.0.1:1\nsession-idle: 30m\nhost: [one.example, two.example]\nbackup-keep: 3\n"), 0o600))
	t.Setenv("CODICIL_CONFIG", file)
	t.Setenv("CODICIL_ADDRESS", "127.0.0.1:2")
	t.Setenv("CODICIL_BACKUP_KEEP", "5")
	t.Setenv("CODICIL_PROXY", "10.0.0.1, 10.1.0.0/16")
	out, errs, failed := run(t, "", "settings", "--backup-keep", "7")
	require.False(t, failed, errs)
	printed := strings.Join(strings.Fields(out), " ")
	for _, setting := range []string{"address 127.0.0.1:2 ", "session-idle 30m0s ", "backup-keep 7 ", "host one.example, two.example ", "session-longest 12h0m0s ", "proxy 10.0.0.1, 10.1.0.0/16 "} {
		assert.Contains(t, printed, setting)
	}
	t.Setenv("CODICIL_OIDC_SECRET", "tide and timber")
	out, errs, failed = run(t, "", "settings", "--oidc-issuer", "https://id.example", "--oidc-client", "codicil", "--oidc-roles", "finance=keeper,ap=operator", "--oidc-roles", "finance=signer")
	require.False(t, failed, errs)
	assert.NotContains(t, out, "tide")
	assert.Contains(t, strings.Join(strings.Fields(out), " "), "oidc-secret (set) ")
	for why, arguments := range map[string][]string{
		"give at least a minute": {"--session-idle", "5s"}, "is no address": {"--proxy", "here"}, "give at least 100": {"--memory", "10"}, "1 at least": {"--key-rate", "0"},
		"give an https address": {"--oidc-issuer", "http://id.example"}, "--oidc-client is missing": {"--oidc-issuer", "https://id.example"}, "would have no role": {"--oidc-issuer", "https://id.example", "--oidc-client", "c", "--oidc-add"},
		"finance-rules=keeper": {"--oidc-issuer", "https://id.example", "--oidc-client", "c", "--oidc-roles", "keeper"},
	} {
		_, errs, failed = run(t, "", append([]string{"settings"}, arguments...)...)
		assert.True(t, failed)
		assert.Contains(t, errs, why)
	}
	key := filepath.Join(t.TempDir(), "seal")
	require.NoError(t, os.WriteFile(key, []byte("c2hvcnQ=\n"), 0o600))
	_, errs, failed = run(t, "", "serve", "--seal-key", key, "--data", filepath.Join(t.TempDir(), "x.db"))
	assert.True(t, failed)
	assert.Contains(t, errs, "holds no key: it has 5 bytes")
	require.NoError(t, os.WriteFile(file, []byte("harbour: 127.0.0.1:1\n"), 0o600))
	_, errs, failed = run(t, "", "settings")
	assert.True(t, failed)
	assert.Contains(t, errs, `there is no setting "harbour"`)
	require.NoError(t, os.WriteFile(file, bytes.Repeat([]byte("{"), 10), 0o600))
	_, errs, failed = run(t, "", "serve")
	assert.True(t, failed)
	assert.Contains(t, errs, "read the settings")
}
