package httpapi_test

import (
	"net/http"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"codicil/core/match"
	"codicil/internal/contract"
)

// Duplicates are looked for, judged, merged and taken back over HTTP; answers are as the contract says.
func TestDuplicatesOverHTTP(t *testing.T) {
	c := start(t)
	var all contract.Duplicates
	require.Equal(t, http.StatusOK, c.ask(http.MethodGet, "/duplicates?kind=vendor", nil, &all))
	own := all.Definitions[len(all.Definitions)-1]
	assert.Equal(t, "The same name in any company", own.Name)
	scan := c.ended("/runs/duplicates", contract.ScanRequest{Kind: "vendor", Name: own.Name, By: own.By})
	assert.Equal(t, map[string]int{"exact": 3, "near": 3}, scan.Counts)
	assert.Equal(t, "vendor", scan.Kind)
	var page contract.DuplicatePage
	require.Equal(t, http.StatusOK, c.ask(http.MethodGet, "/runs/"+jsonOf(scan.ID)+"/duplicates?what=near", nil, &page))
	require.Len(t, page.Groups, 3)
	pair := page.Groups[0]
	two := []string{pair.Records[0].Number, pair.Records[1].Number}
	require.Equal(t, http.StatusNoContent, c.ask(http.MethodPost, "/duplicates/vendor/different", contract.DifferentRequest{Numbers: two, Reason: "Two firms"}, nil))
	var different contract.DifferencePage
	require.Equal(t, http.StatusOK, c.ask(http.MethodGet, "/duplicates/vendor/different", nil, &different))
	require.Len(t, different.Differences, 1)
	require.Equal(t, http.StatusNoContent, c.ask(http.MethodDelete, "/duplicates/vendor/different?number="+two[0]+"&other="+two[1], nil, nil))
	c.refused(http.MethodDelete, "/duplicates/vendor/different?number="+two[0]+"&other="+two[1], nil, http.StatusNotFound, "not-found")

	var preview contract.MergePreview
	require.Equal(t, http.StatusOK, c.ask(http.MethodPost, "/merges/preview", contract.MergePlan{Kind: "vendor", Numbers: two}, &preview))
	assert.Contains(t, two, preview.Survivor)
	c.refused(http.MethodPost, "/merges/preview", contract.MergePlan{Kind: "vendor", Numbers: two[:1]}, http.StatusBadRequest, "bad-request")
	c.refused(http.MethodPost, "/runs/merge", contract.MergeRequest{Kind: "vendor", Scan: scan.ID, Apply: true}, http.StatusUnprocessableEntity, "merge-reason")
	c.refused(http.MethodPost, "/runs/merge", contract.MergeRequest{Kind: "customer", Scan: scan.ID}, http.StatusUnprocessableEntity, "not-a-scan")
	merge := c.ended("/runs/merge", contract.MergeRequest{Kind: "vendor", Scan: scan.ID, Apply: true, Reason: "Entered twice"})
	assert.Equal(t, 3, merge.Counts["merge"], "%v", merge.Counts)
	require.Equal(t, http.StatusOK, c.ask(http.MethodGet, "/runs/"+jsonOf(scan.ID)+"/duplicates?what=exact", nil, &page))
	assert.Equal(t, contract.DuplicateGroupStateMerged, page.Groups[0].State)
	assert.Equal(t, map[string]int{"restored": 3}, c.ended("/runs/"+jsonOf(merge.ID)+"/take-back", nil).Counts)
	c.refused(http.MethodGet, "/runs/"+jsonOf(merge.ID)+"/duplicates", nil, http.StatusUnprocessableEntity, "not-a-scan")

	by := match.Unique{Fields: []string{"email"}, Ignore: match.Differences{match.Case}}
	require.Equal(t, http.StatusNoContent, c.ask(http.MethodPut, "/duplicates/vendor/definitions/Mailbox", by, nil))
	require.Equal(t, http.StatusNoContent, c.ask(http.MethodDelete, "/duplicates/vendor/definitions/Mailbox", nil, nil))
	by.Fields = []string{"nope"}
	c.refused(http.MethodPut, "/duplicates/vendor/definitions/Mailbox", by, http.StatusUnprocessableEntity, "unknown-field")
}
