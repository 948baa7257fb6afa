package main

import (
	"bytes"
	"context"
	"encoding/json"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func run(t *testing.T, input string, arguments ...string) (out, errors string, failed bool) {
	t.Helper()
	var o, e bytes.Buffer
	c := command(strings.NewReader(input), &o, &e)
	c.SetArgs(arguments)
	err := c.ExecuteContext(t.Context())
	return o.String(), e.String(), err != nil
}

func TestFeelPrintsTheValueAsJSON(t *testing.T) {
	for expression, want := range map[string]string{
		`0.1 + 0.2`:                             `0.3`,
		`1 / 3`:                                 `0.3333333333333333333333333333333333`,
		`"a < b"`:                               `"a < b"`,
		`date("2026-11-24")`:                    `"2026-11-24"`,
		`@"2026-11-24" + @"P1M"`:                `"2026-12-24"`,
		`duration("PT90M")`:                     `"PT1H30M"`,
		`[1, null, true]`:                       `[1,null,true]`,
		`{total: 1.50, "sub part": 2}`:          `{"total":1.5,"sub part":2}`,
		`null`:                                  `null`,
		`1 = "a"`:                               `null`,
		`for n in 1..3 return n ** 2`:           `[1,4,9]`,
		`[{a: 1}, {a: 2}][a > 1].a`:             `[2]`,
		`(function(x) x + 1)(2)`:                `3`,
		`some x in [1, 2] satisfies x in (> 1)`: `true`,
		`(< 5)`:                                 `"(< 5)"`,
		`1e6000 * 2`:                            `2e+6000`,
	} {
		out, _, failed := run(t, "", "feel", expression)
		assert.False(t, failed, expression)
		assert.Equal(t, want+"\n", out, expression)
	}
}

func TestFeelReadsAContextExactly(t *testing.T) {
	file := filepath.Join(t.TempDir(), "context.json")
	require.NoError(t, os.WriteFile(file, []byte(`{"net total": 12345678901234567890.12, "code": "007"}`), 0o600))
	out, _, failed := run(t, "", "feel", "--context", file, `[net total + 0.01, code]`)
	assert.False(t, failed)
	assert.Equal(t, `[12345678901234567890.13,"007"]`+"\n", out)
	_, errors, failed := run(t, "", "feel", "--context", file+".gone", "1")
	assert.True(t, failed)
	assert.Contains(t, errors, "gone")
}

func TestFeelTellsThePlaceOfAnError(t *testing.T) {
	out, errors, failed := run(t, "", "feel", "1 +\n foo(2)")
	assert.True(t, failed)
	assert.Empty(t, out)
	assert.Contains(t, errors, "line 2, column 2")
	_, errors, failed = run(t, "", "feel", "1 / 0")
	assert.False(t, failed)
	assert.Contains(t, errors, "division by zero: 1 / 0")
	_, errors, failed = run(t, "", "feel", `1 = "a"`)
	assert.False(t, failed)
	assert.Contains(t, errors, "a number is never equal to a string (line 1, column 1)")
	for _, wrong := range [][]string{{"feel"}, {"feel", "1", "2"}, {"feel", "--batch", "1"}} {
		_, _, failed := run(t, "", wrong...)
		assert.True(t, failed, wrong)
	}
}

func TestABatchAnswersEveryLine(t *testing.T) {
	input := `{"expression": "a * 2", "context": {"a": 0.10000000000000000000000001}}
{"expression": "a +", "context": {"a": 1}}

{"expression": "1 < 2"}
nonsense
{"context": {}}
{"expression": "x", "context": [1]}
{"expression": "null"}
{"expression": "count(lines[qty > 1 and net price in [1..5]])", "context": {"lines": [{"qty": 2, "net price": 5}, {"qty": 3, "net price": 6}]}}
{"expression": "(function(f) f(f))(function(f) f(f))"}
`
	out, _, failed := run(t, input, "feel", "--batch")
	require.False(t, failed)
	lines := strings.Split(strings.TrimSpace(out), "\n")
	require.Len(t, lines, 9)
	assert.Equal(t, `{"value":0.20000000000000000000000002}`, lines[0])
	assert.Equal(t, `{"value":true}`, lines[2])
	assert.Equal(t, `{"value":null}`, lines[6])
	assert.Equal(t, `{"value":1}`, lines[7])
	assert.Equal(t, `{"value":null}`, lines[8], "what never ends is null")
	var wrong struct{ Error batchError }
	require.NoError(t, json.Unmarshal([]byte(lines[1]), &wrong))
	assert.Equal(t, batchError{"the formula ends too early: a value is missing here", 1, 4}, wrong.Error)
	for _, line := range lines[3:6] {
		assert.Contains(t, line, `"error"`)
	}
}

// served does something when a server tells its address.
type served func()

func (s served) Write(text []byte) (int, error) {
	s()
	return len(text), nil
}

// A file of any size is made by the rules of the demo, one that is missing its log is opened where somebody says so, and the
// memory that is aimed at has a least.
func TestAFileIsGeneratedAndServedAsAsked(t *testing.T) {
	data := filepath.Join(t.TempDir(), "made.db")
	out, errors, failed := run(t, "", "generate", "--data", data, "--vendors", "8", "--documents", "8")
	require.False(t, failed, errors)
	assert.Contains(t, out, "8 of 8 documents")
	for _, arguments := range [][]string{{"--memory", "200"}, {"--without-log"}} {
		ctx, stop := context.WithCancel(t.Context())
		var e bytes.Buffer
		c := command(strings.NewReader(""), served(stop), &e)
		c.SetArgs(append([]string{"serve", "--data", data, "--address", "127.0.0.1:0"}, arguments...))
		require.NoError(t, c.ExecuteContext(ctx), e.String())
	}
	_, errors, failed = run(t, "", "serve", "--data", data, "--memory", "10")
	assert.True(t, failed)
	assert.Contains(t, errors, "give at least 100 (MB)")
}

func TestServingOffThisMachineIsRefused(t *testing.T) {
	_, errors, failed := run(t, "", "serve", "--address", "0.0.0.0:0", "--data", filepath.Join(t.TempDir(), "x", "codicil.db"))
	assert.True(t, failed)
	assert.Contains(t, errors, "not on this machine")
}

func TestADemoThatWasKilledLeavesNothing(t *testing.T) {
	t.Setenv("TMPDIR", t.TempDir())
	killed := exec.CommandContext(t.Context(), "sleep", "60")
	require.NoError(t, killed.Start())
	left := filepath.Join(os.TempDir(), fmt.Sprintf("%s%d-1", demoFolders, killed.Process.Pid))
	require.NoError(t, os.Mkdir(left, 0o700))
	first, err := demoFolder()
	require.NoError(t, err)
	assert.DirExists(t, left, "its demo still runs")
	require.NoError(t, killed.Process.Kill())
	_, _ = killed.Process.Wait()
	_, err = demoFolder()
	require.NoError(t, err)
	assert.NoDirExists(t, left)
	assert.DirExists(t, first, "this process still runs")
}
