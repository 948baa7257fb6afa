package httpapi

import (
	"bytes"
	"crypto/rand"
	"html/template"
	"net/http"
	"slices"
	"strconv"
	"strings"
	"sync"

	"github.com/getkin/kin-openapi/openapi3"
	"github.com/labstack/echo/v5"
	"gopkg.in/yaml.v3"

	"codicil/api"
)

// serveContract serves the contract as a file, and as a page that a person can read.
func serveContract(e *echo.Echo) {
	e.GET(base+"/openapi.yaml", func(c *echo.Context) error {
		text, err := wholeContract()
		if err != nil {
			return err
		}
		return c.Blob(http.StatusOK, "application/yaml", text)
	})
	e.GET(apiRoot, func(c *echo.Context) error {
		document, err := toldContract()
		if err != nil {
			return err
		}
		nonce := rand.Text()
		var text bytes.Buffer
		if err := contractPage.Execute(&text, map[string]any{"Nonce": nonce, "About": document.Info.Description, "Operations": operationsOf(document)}); err != nil {
			return err
		}
		c.Response().Header().Set("Content-Security-Policy", policy("'nonce-"+nonce+"'"))
		return c.HTMLBlob(http.StatusOK, text.Bytes())
	})
}

// toldContract is the contract with every answer that an operation can give when something is not as it should be.
var toldContract = sync.OnceValues(func() (*openapi3.T, error) {
	document, err := openapi3.NewLoader().LoadFromData(api.OpenAPI)
	if err != nil {
		return nil, err
	}
	for path, item := range document.Paths.Map() {
		for method, o := range item.Operations() {
			for _, status := range failuresOf(path, method, o) {
				o.Responses.Set(strconv.Itoa(status), &openapi3.ResponseRef{Ref: "#/components/responses/Failure"})
			}
		}
	}
	return document, nil
})

// failuresOf are the statuses of the answers that an operation can give when something is not as it should be.
func failuresOf(path, method string, o *openapi3.Operation) []int {
	all := []int{http.StatusBadRequest, http.StatusUnprocessableEntity, http.StatusTooManyRequests, http.StatusInternalServerError, http.StatusServiceUnavailable}
	if permissions := permissionsOf(o); !slices.Contains(permissions, "nobody") || method != http.MethodGet {
		all = append(all, http.StatusUnauthorized, http.StatusForbidden)
	}
	if strings.Contains(path, "{") || method != http.MethodGet {
		all = append(all, http.StatusNotFound)
	}
	if method != http.MethodGet {
		all = append(all, http.StatusConflict)
	}
	if o.RequestBody != nil {
		all = append(all, http.StatusRequestEntityTooLarge)
	}
	slices.Sort(all)
	return all
}

// permissionsOf are those of which an operation asks one; "nobody" is that of who has not signed in.
func permissionsOf(o *openapi3.Operation) (permissions []string) {
	list, _ := o.Extensions["x-permission"].([]any)
	for _, p := range list {
		if text, is := p.(string); is {
			permissions = append(permissions, text)
		}
	}
	return permissions
}

// wholeContract is that contract as a file.
var wholeContract = sync.OnceValues(func() ([]byte, error) {
	document, err := toldContract()
	if err != nil {
		return nil, err
	}
	value, err := document.MarshalYAML()
	if err != nil {
		return nil, err
	}
	return yaml.Marshal(value)
})

// toldOperation is an operation as the page shows it.
type toldOperation struct {
	Method, Path, Name, Summary, Who string
	Failures                         []int
}

func operationsOf(document *openapi3.T) (all []toldOperation) {
	for path, item := range document.Paths.Map() {
		for method, o := range item.Operations() {
			who := "whoever is signed in"
			switch permissions := permissionsOf(o); {
			case slices.Contains(permissions, "nobody"):
				who = "anybody"
			case len(permissions) > 0:
				who = strings.Join(permissions, " or ")
			}
			all = append(all, toldOperation{method, base + path, o.OperationID, o.Summary, who, failuresOf(path, method, o)})
		}
	}
	slices.SortFunc(all, func(a, b toldOperation) int { return strings.Compare(a.Path+a.Method, b.Path+b.Method) })
	return all
}

var contractPage = template.Must(template.New("contract").Parse(`<!doctype html>
<html lang="en">
<head>
<meta charset="utf-8">
<title>Contract · Codicil</title>
<style nonce="{{.Nonce}}">
body { font: 14px/1.45 system-ui, sans-serif; margin: 24px auto; max-width: 1100px; padding: 0 20px; color: #16202e; background: #faf7ef; }
table { border-collapse: collapse; width: 100%; }
th, td { text-align: left; vertical-align: top; padding: 5px 12px 5px 0; border-bottom: 1px solid #d9d2c0; }
code { font-size: 13px; white-space: nowrap; }
pre { white-space: pre-wrap; font: inherit; }
</style>
</head>
<body>
<h1>Contract</h1>
<pre>{{.About}}</pre>
<p><a href="/api/v1/openapi.yaml">The contract as a file</a> (OpenAPI 3.0) has the shape of every request and answer.</p>
<table>
<thead><tr><th>Operation</th><th>What it does</th><th>Who may</th><th>Failures</th></tr></thead>
<tbody>
{{range .Operations}}<tr id="{{.Name}}"><td><code>{{.Method}} {{.Path}}</code></td><td>{{.Summary}}</td><td>{{.Who}}</td><td>{{range $i, $s := .Failures}}{{if $i}}, {{end}}{{$s}}{{end}}</td></tr>
{{end}}</tbody>
</table>
</body>
</html>
`))
