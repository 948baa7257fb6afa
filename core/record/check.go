package record

import (
	"regexp"
	"slices"
	"strings"

	"codicil/core/field"
	"codicil/core/notice"
)

// What can be wrong with a kind that somebody describes.
var (
	notKindKey     = notice.Define("not-a-key.kind", "{key:q} cannot be the key of a kind; use small letters, digits and _, with a letter first")
	noKindName     = notice.Define("no-name.kind", "give the kind a name, in the singular and in the plural")
	noTypeLabel    = notice.Define("no-name.types", "say what a type of the kind is called, such as Order type")
	badPrefix      = notice.Define("not-a-prefix", "numbers begin with up to six capital letters or digits, a letter first; {prefix:q} is something else")
	badDigits      = notice.Define("not-digits.kind", "numbers have 1 to 12 digits")
	noSection      = notice.Define("no-section", "a kind has a section for the fields of its header")
	badSection     = notice.Define("not-a-key.section", "{key:q} cannot be the key of a section; use small letters, digits and _, with a letter first, each once")
	noSectionName  = notice.Define("no-name.section", "give the section a name")
	sectionInUse   = notice.Define("in-use.section", "the section {section} has fields, such as {field}; move or remove them first")
	notATitle      = notice.Define("not-a-title", "{field:q} cannot be one of the names of a record; choose fields of the header, three at most")
	notListed      = notice.Define("not-listed", "{field:q} cannot stand in lists; choose fields of the header")
	notADayField   = notice.Define("not-a-day-field", "{field:q} cannot be the day of a document; choose a date of the header")
	notSigned      = notice.Define("not-signed", "{field:q} has no sign that could be turned; choose an amount, a quantity or a number")
	notAnAccount   = notice.Define("not-an-account", "{field:q} cannot name the accounts of the journal; choose a link in the lines")
	notASide       = notice.Define("not-a-side", "{field:q} cannot be a side of the journal; choose two amounts of the lines")
	notAPartner    = notice.Define("not-a-partner", "{field:q} cannot name a partner; choose links of the header")
	notAText       = notice.Define("not-a-text", "{field:q} cannot say what an entry is for; choose a text of the lines")
	postedHasNoAim = notice.Define("journal-not-posted", "only a kind that is posted makes a journal")
)

var prefixPattern = regexp.MustCompile(`^[A-Z][A-Z0-9]{0,5}$`)

// Misplaced is something wrong with a kind, at one of its parts: "label", "sections", "journal".
type Misplaced struct {
	Part string
	notice.Notice
}

// Check trims what a kind says and tells what is wrong with it. Cost: its fields and sections.
func (k *Kind) Check() (wrong []Misplaced) {
	say := func(part string, n notice.Notice) { wrong = append(wrong, Misplaced{part, n}) }
	for _, text := range []*string{&k.Label, &k.Plural, &k.TypeLabel, &k.Prefix} {
		*text = strings.TrimSpace(*text)
	}
	switch {
	case !field.IsKey(k.Key):
		say("key", notKindKey.With(k.Key))
	case k.Label == "" || k.Plural == "":
		say("label", noKindName.With())
	}
	if k.TypeLabel == "" {
		say("typeLabel", noTypeLabel.With())
	}
	if !prefixPattern.MatchString(k.Prefix) {
		say("prefix", badPrefix.With(k.Prefix))
	}
	if k.Digits < 1 || k.Digits > 12 {
		say("digits", badDigits.With())
	}
	k.checkSections(say)
	header := func(key string, fits func(*field.Field) bool) bool {
		f := k.Field(key)
		return f != nil && !f.OfLine() && (fits == nil || fits(f))
	}
	for i, key := range k.Title {
		if i >= 3 || !header(key, nil) {
			say("title", notATitle.With(key))
		}
	}
	for _, key := range k.Listed {
		if !header(key, nil) {
			say("listed", notListed.With(key))
		}
	}
	if k.Day != "" && !header(k.Day, func(f *field.Field) bool { return f.Type == field.Date }) {
		say("day", notADayField.With(k.Day))
	}
	for _, key := range k.Signed {
		if f := k.Field(key); f == nil || !slices.Contains([]field.Name{field.Amount, field.Quantity, field.Number}, f.Type) {
			say("signed", notSigned.With(key))
		}
	}
	k.checkJournal(say)
	return wrong
}

func (k *Kind) checkSections(say func(string, notice.Notice)) {
	seen, header := map[string]bool{}, false
	for i := range k.Sections {
		s := &k.Sections[i]
		s.Label = strings.TrimSpace(s.Label)
		switch {
		case !field.IsKey(s.Key) || seen[s.Key]:
			say("sections", badSection.With(s.Key))
		case s.Label == "":
			say("sections", noSectionName.With())
		}
		seen[s.Key] = true
		header = header || s.Key != LineSection
	}
	if !header {
		say("sections", noSection.With())
	}
	told := map[string]bool{}
	for i := range k.Fields {
		if f := &k.Fields[i]; !seen[f.Section] && !told[f.Section] {
			told[f.Section] = true
			say("sections", sectionInUse.With(f.Section, f.Label))
		}
	}
}

func (k *Kind) checkJournal(say func(string, notice.Notice)) {
	j := k.Journal
	if j == nil {
		return
	}
	if !k.Posted {
		say("journal", postedHasNoAim.With())
	}
	line := func(key string, fits func(*field.Field) bool) bool {
		f := k.Field(key)
		return f != nil && f.OfLine() && fits(f)
	}
	if !line(j.Account, (*field.Field).IsLink) {
		say("journal", notAnAccount.With(j.Account))
	}
	for _, side := range []string{j.Debit, j.Credit} {
		if j.Debit == j.Credit || !line(side, func(f *field.Field) bool { return f.Type == field.Amount }) {
			say("journal", notASide.With(side))
		}
	}
	if j.Text != "" && !line(j.Text, func(f *field.Field) bool { return f.Type == field.Text }) {
		say("journal", notAText.With(j.Text))
	}
	for _, partner := range j.Partners {
		if f := k.Field(partner); f == nil || f.OfLine() || !f.IsLink() {
			say("journal", notAPartner.With(partner))
		}
	}
}

// Settled is the kind as somebody set it up: all but its fields are those of the settings; of its
// fields those stay that are not put away. A section that the settings do not know comes last.
func (k *Kind) Settled(settings *Kind) Kind {
	w := *settings
	w.Key, w.Own = k.Key, k.Own
	w.Fields = slices.DeleteFunc(slices.Clone(k.Fields), func(f field.Field) bool { return slices.Contains(w.Away, f.Key) })
	w.Sections = slices.Clone(w.Sections)
	for _, section := range k.Sections {
		if !slices.ContainsFunc(w.Sections, func(s Section) bool { return s.Key == section.Key }) {
			w.Sections = append(w.Sections, section)
		}
	}
	return w
}

// Needs tells for what the kind itself needs a field; "": for nothing.
func (k *Kind) Needs(key string) string {
	switch {
	case slices.Contains(k.Title, key):
		return "the name of a record"
	case k.Day == key:
		return "the day of a document"
	case slices.Contains(k.Signed, key):
		return "what a reversal turns"
	case k.Journal != nil && (slices.Contains([]string{k.Journal.Account, k.Journal.Debit, k.Journal.Credit, k.Journal.Text}, key) || slices.Contains(k.Journal.Partners, key)):
		return "the journal"
	}
	for i := range k.Fields {
		f := &k.Fields[i]
		if column := strings.TrimPrefix(key, field.LinePrefix); f.Key != key && (slices.Contains([]string{f.Currency, f.Unit, f.Country}, key) || f.OfLine() && strings.HasPrefix(key, field.LinePrefix) && slices.Contains([]string{f.Currency, f.Unit, f.Country}, column)) {
			return f.Label
		}
	}
	return ""
}
