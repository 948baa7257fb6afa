package reference

import (
	"encoding/json"
	"io"
	"slices"
	"strings"

	"github.com/getkin/kin-openapi/openapi3"

	"codicil/api"
)

// Shown writes the operations that may be asked by another rule book than the one in force, as "GET /plan", for the
// client.
func Shown(w io.Writer) error {
	document, err := openapi3.NewLoader().LoadFromData(api.OpenAPI)
	if err != nil {
		return err
	}
	operations := []string{}
	for path, item := range document.Paths.Map() {
		for method, o := range item.Operations() {
			if o.Parameters.GetByInAndName(openapi3.ParameterInQuery, "rules") != nil {
				operations = append(operations, strings.ToUpper(method)+" "+path)
			}
		}
	}
	slices.Sort(operations)
	encoder := json.NewEncoder(w)
	encoder.SetIndent("", "  ")
	encoder.SetEscapeHTML(false)
	return encoder.Encode(operations)
}
