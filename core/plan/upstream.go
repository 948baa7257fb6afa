package plan

import (
	"slices"

	"codicil/core/rule"
)

// Upstream returns the part of the plan that decides what some rules do: their fields and all that those wait for, with
// the day of the document, and of validations only their own. The rules may be versions of one that stands in other plans: the
// parts of two plans for the same rules then go through the same fields. It makes no journal and no follow-ups. Where what the rules do
// may show anywhere, it is the whole plan.
func (p *Plan) Upstream(rules ...*rule.Compiled) *Plan {
	// Fields that wait for each other are told as a whole, follow-ups read the verdict, and numbers of series are taken one after
	// the other.
	if p.Loop != nil || slices.ContainsFunc(rules, func(c *rule.Compiled) bool { return c.Family == rule.FollowUp || c.Series != nil }) {
		return p
	}
	part := *p
	part.Partial, part.LooksBack, part.Order, part.Lists, part.Needed = true, false, nil, map[int]bool{}, make([]bool, len(p.stations))
	part.stations = make([][][]*rule.Compiled, len(p.stations))
	goes := make([]bool, len(p.stations))
	var visit func(place int)
	read := func(c *rule.Compiled) {
		part.LooksBack = part.LooksBack || p.Vocabulary.LooksBack(c.Reads(), rule.Before...)
		for place, sofar := range p.reads(c) {
			if part.Needed[place] = true; sofar {
				visit(place)
			}
		}
		for slot := range p.Vocabulary.Lists(c.Reads()) {
			part.Lists[slot] = true
		}
	}
	visit = func(place int) {
		if goes[place] {
			return
		}
		goes[place], part.Needed[place] = true, true
		if !p.Quiet(place) {
			stations := make([][]*rule.Compiled, len(rule.Families))
			for _, family := range rule.Families[:rule.Validate.Station()] {
				stations[family.Station()] = p.At(place, family)
				for _, c := range p.At(place, family) {
					read(c)
				}
			}
			part.stations[place] = stations
		}
		beside := p.Vocabulary.Beside[place]
		for _, other := range []int{beside.Currency, beside.Unit, beside.Country} {
			if other >= 0 {
				visit(other)
			}
		}
	}
	if day := p.Kind().Day; day != "" {
		visit(p.Kind().Index(day))
	}
	for _, c := range rules {
		read(c)
		for _, place := range c.Fields {
			visit(place)
		}
	}
	for place := range p.stations {
		if p.Counts && slices.ContainsFunc(p.At(place, rule.Default), func(c *rule.Compiled) bool { return c.Series != nil }) {
			visit(place)
		}
	}
	for place := range p.stations {
		for _, c := range p.At(place, rule.Validate) {
			if goes[place] && slices.ContainsFunc(rules, func(own *rule.Compiled) bool { return own.ID == c.ID }) {
				station := rule.Validate.Station()
				part.stations[place][station] = append(part.stations[place][station], c)
			}
		}
	}
	for _, place := range p.Order {
		if goes[place] {
			part.Order = append(part.Order, place)
		}
	}
	return &part
}

// reads returns the fields that a rule reads, by place, and whether it waits for them: others it reads as they were entered
// or saved.
func (p *Plan) reads(c *rule.Compiled) map[int]bool {
	v, reads := p.Vocabulary, map[int]bool{}
	for _, slot := range c.Reads() {
		if slot == v.Lines {
			for column := range v.Columns {
				reads[v.Headers+column] = true
			}
		}
		if r, ok := v.ReadAt(slot); ok {
			reads[r.Field] = reads[r.Field] || r.Form == rule.SoFar
		}
	}
	for _, place := range slices.Concat(c.Links, c.Unique, c.Changed) {
		reads[place] = true
	}
	return reads
}

// Values returns the plan without its checks, journal and follow-ups, which are asked when all values are final. Cost: the fields.
func (p *Plan) Values() *Plan {
	part := *p
	part.Partial, part.Needed = true, slices.Repeat([]bool{true}, len(p.stations))
	part.stations = make([][][]*rule.Compiled, len(p.stations))
	for place := range p.stations {
		if p.Quiet(place) {
			continue
		}
		part.stations[place] = make([][]*rule.Compiled, len(rule.Families))
		for _, family := range rule.Families[:rule.Validate.Station()] {
			part.stations[place][family.Station()] = p.At(place, family)
		}
	}
	return &part
}
