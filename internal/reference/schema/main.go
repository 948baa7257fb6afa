// Command schema writes the JSON Schema of a book's file from the contract, which
// describes the same things.
package main

import (
	"encoding/json"
	"fmt"
	"os"
	"strings"

	"gopkg.in/yaml.v3"

	"codicil/api"
)

const head = `
$schema: https://json-schema.org/draft/2020-12/schema
$id: https://codicil.example/book.schema.json
title: Codicil book
description: A rule book with all that its rules need - companies, types, added fields, tables, rules, layouts of forms, maps and proofs
type: object
required: [format, version, companies, types, fields, standing, crosswalks, series, rules, proofs]
additionalProperties: false
properties:
  format: { const: codicil book }
  version: { const: 4 }
  ruleBook: { type: integer }
  companies: { type: [array, "null"], items: { $ref: "#/$defs/Company" } }
  kinds: { type: [array, "null"], description: The kinds that were made or set up by an administrator - without their fields, items: { $ref: "#/$defs/Kind" } }
  types: { type: [array, "null"], items: { $ref: "#/$defs/Type" } }
  fields: { type: [object, "null"], description: The added fields by kind, additionalProperties: { type: array, items: { $ref: "#/$defs/Field" } } }
  standing: { type: [array, "null"], items: { $ref: "#/$defs/Standing" } }
  crosswalks: { type: [array, "null"], items: { $ref: "#/$defs/Crosswalk" } }
  series: { type: [array, "null"], items: { $ref: "#/$defs/Series" } }
  lists: { type: [array, "null"], description: The lists of codes that fields choose from, items: { $ref: "#/$defs/CodeList" } }
  rules:
    type: [array, "null"]
    items:
      allOf:
        - type: object
          required: [id, version, state, name]
          properties: { id: { type: integer }, version: { type: integer }, state: { enum: [draft, in force, suspended, retired] }, name: { type: string } }
        - $ref: "#/$defs/RuleBody"
  proofs:
    type: [array, "null"]
    items:
      type: object
      required: [id, name, rules, given, expect]
      properties:
        id: { type: integer }
        name: { type: string }
        rules: { type: [array, "null"], items: { type: integer } }
        given: { $ref: "#/$defs/Document" }
        expect: { $ref: "#/$defs/Expectation" }
        posting: { type: string }
  layouts:
    type: [array, "null"]
    description: The layouts of forms, each of a kind, a company and a type; without a company or type, of all
    items:
      type: object
      required: [kind, layout]
      additionalProperties: false
      properties: { kind: { type: string }, company: { type: string }, type: { type: string }, layout: { $ref: "#/$defs/Layout" } }
  maps: { type: [array, "null"], description: What records follow on which, items: { $ref: "#/$defs/FollowOn" } }
  silenced:
    type: [array, "null"]
    description: Findings that are left as they are
    items: { type: object, required: [key, reason], additionalProperties: false, properties: { key: { type: string }, reason: { type: string } } }
`

func main() {
	if err := write(); err != nil {
		fmt.Fprintln(os.Stderr, err)
		os.Exit(1)
	}
}

func write() error {
	var schema map[string]any
	if err := yaml.Unmarshal([]byte(head), &schema); err != nil {
		return err
	}
	var contract struct {
		Components struct {
			Schemas map[string]any `yaml:"schemas"`
		} `yaml:"components"`
	}
	if err := yaml.Unmarshal(api.OpenAPI, &contract); err != nil {
		return err
	}
	definitions := map[string]any{}
	schema["$defs"] = definitions
	var take func(node any) any
	need := func(name string) {
		if _, have := definitions[name]; !have {
			definitions[name] = true // so that a circle ends
			definitions[name] = take(contract.Components.Schemas[name])
		}
	}
	take = func(node any) any {
		switch n := node.(type) {
		case map[string]any:
			taken := map[string]any{}
			for key, value := range n {
				switch {
				case strings.HasPrefix(key, "x-"), key == "nullable", key == "format" && value == "int64":
				case key == "$ref":
					name := value.(string)[strings.LastIndexByte(value.(string), '/')+1:]
					need(name)
					taken[key] = "#/$defs/" + name
				default:
					taken[key] = take(value)
				}
			}
			if n["nullable"] == true {
				taken["type"] = []any{n["type"], "null"}
			}
			return taken
		case []any:
			taken := make([]any, len(n))
			for i, item := range n {
				taken[i] = take(item)
			}
			return taken
		}
		return node
	}
	for _, name := range []string{"Company", "Type", "Field", "Standing", "Crosswalk", "Series", "CodeList", "Kind", "RuleBody", "Document", "Expectation", "Layout", "FollowOn"} {
		need(name)
	}
	encoder := json.NewEncoder(os.Stdout)
	encoder.SetIndent("", "  ")
	encoder.SetEscapeHTML(false)
	return encoder.Encode(schema)
}
