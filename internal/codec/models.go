package codec

// The models: what is kept, under the names that it is kept by. They follow the types of the
// domain field by field, which a test holds, and change only together with a new version of their
// shape and a step that brings older ones up to date; see shapes.go.

type fieldModel struct {
	Key      string        `json:"key"`
	Label    string        `json:"label"`
	Help     string        `json:"help,omitempty"`
	Section  string        `json:"section"`
	Type     string        `json:"type"`
	Length   int           `json:"length,omitempty"`
	Case     string        `json:"case,omitempty"`
	Digits   int           `json:"digits,omitempty"`
	Decimals int           `json:"decimals,omitempty"`
	Currency string        `json:"currency,omitempty"`
	Unit     string        `json:"unit,omitempty"`
	Country  string        `json:"country,omitempty"`
	Pattern  string        `json:"pattern,omitempty"`
	List     string        `json:"list,omitempty"`
	Choices  []optionModel `json:"choices,omitempty"`
	Standard string        `json:"-"`
	Kind     string        `json:"kind,omitempty"`
	Added    bool          `json:"added,omitempty"`
	Searched bool          `json:"searched,omitempty"`
	Loaded   bool          `json:"loaded,omitempty"`
	Personal bool          `json:"personal,omitempty"`
}

// settle leaves out what a list says.
func (f *fieldModel) settle() {
	if f.List != "" {
		f.Choices = nil
	}
}

type optionModel struct {
	Code   string            `json:"code"`
	Label  string            `json:"label"`
	From   string            `json:"from,omitempty"`
	Until  string            `json:"until,omitempty"`
	NotIn  []string          `json:"notIn,omitempty"`
	Labels map[string]string `json:"labels,omitempty"`
}

type listModel struct {
	Key      string       `json:"key"`
	Label    string       `json:"label"`
	Note     string       `json:"note"`
	Standard string       `json:"standard,omitempty"`
	Entries  []entryModel `json:"entries"`
	Views    []viewModel  `json:"views,omitempty"`
}

type entryModel struct {
	Code     string `json:"code"`
	Label    string `json:"label"`
	Decimals *int   `json:"decimals,omitempty"`
	periodModel
}

type viewModel struct {
	Company string            `json:"company"`
	Only    []string          `json:"only,omitempty"`
	Labels  map[string]string `json:"labels,omitempty"`
}

type kindModel struct {
	Key       string         `json:"key"`
	Label     string         `json:"label"`
	Plural    string         `json:"plural"`
	TypeLabel string         `json:"typeLabel"`
	Own       bool           `json:"own,omitempty"`
	Away      []string       `json:"away,omitempty"`
	Posted    bool           `json:"posted,omitempty"`
	Shared    bool           `json:"shared,omitempty"`
	Prefix    string         `json:"prefix"`
	Digits    int            `json:"digits"`
	Title     []string       `json:"title"`
	Listed    []string       `json:"listed,omitempty"`
	Sections  []sectionModel `json:"sections"`
	Fields    []fieldModel   `json:"fields"`
	Day       string         `json:"day,omitempty"`
	Journal   *journalModel  `json:"journal,omitempty"`
	Signed    []string       `json:"signed,omitempty"`
}

type sectionModel struct {
	Key   string `json:"key"`
	Label string `json:"label"`
}

type journalModel struct {
	Account  string   `json:"account"`
	Debit    string   `json:"debit"`
	Credit   string   `json:"credit"`
	Text     string   `json:"text,omitempty"`
	Control  string   `json:"control,omitempty"`
	Partners []string `json:"partners,omitempty"`
}

type companyModel struct {
	Key      string         `json:"key"`
	Name     string         `json:"name"`
	Country  string         `json:"country"`
	Currency string         `json:"currency"`
	Rounding string         `json:"rounding"`
	Calendar calendarModel  `json:"calendar"`
	TimeZone string         `json:"timeZone,omitempty"`
	Minor    map[string]int `json:"-"`
	Format   *formatModel   `json:"format,omitempty"`
}

type calendarModel struct {
	FreeDays []int          `json:"freeDays"`
	Holidays []holidayModel `json:"holidays"`
}

type holidayModel struct {
	Day  string `json:"day"`
	Name string `json:"name"`
}

type formatModel struct {
	Decimal   string `json:"decimal"`
	Group     string `json:"group"`
	Date      string `json:"date"`
	Separator string `json:"separator"`
}

type typeModel struct {
	Kind      string   `json:"kind"`
	Key       string   `json:"key"`
	Label     string   `json:"label"`
	Companies []string `json:"companies,omitempty"`
}

type layoutModel struct {
	Sections []layoutSectionModel `json:"sections"`
}

type scopedLayoutModel struct {
	Kind    string      `json:"kind"`
	Company string      `json:"company,omitempty"`
	Type    string      `json:"type,omitempty"`
	Layout  layoutModel `json:"layout"`
}

type layoutSectionModel struct {
	Key    string             `json:"key"`
	Label  string             `json:"label,omitempty"`
	Hidden bool               `json:"hidden,omitempty"`
	Fields []layoutFieldModel `json:"fields"`
}

type layoutFieldModel struct {
	Key    string `json:"key"`
	Label  string `json:"label,omitempty"`
	Width  int    `json:"width"`
	Hidden bool   `json:"hidden,omitempty"`
}

type followOnModel struct {
	ID    int64       `json:"id"`
	Name  string      `json:"name"`
	From  string      `json:"from"`
	To    string      `json:"to"`
	Type  string      `json:"type,omitempty"`
	Pairs []pairModel `json:"pairs"`
	Types []string    `json:"types,omitempty"`
	When  string      `json:"when,omitempty"`
}

type pairModel struct {
	From     string `json:"from,omitempty"`
	Constant string `json:"constant,omitempty"`
	To       string `json:"to"`
	Line     int    `json:"line,omitempty"`
}

type contentModel struct {
	Values  map[string]string `json:"values"`
	Lines   []lineModel       `json:"lines,omitempty"`
	Origins map[string]string `json:"origins,omitempty"`
	Reasons []reasonModel     `json:"reasons,omitempty"`
}

type lineModel struct {
	Number  int               `json:"number"`
	Values  map[string]string `json:"values"`
	Origins map[string]string `json:"origins,omitempty"`
}

type reasonModel struct {
	Rule int64  `json:"rule"`
	Line int    `json:"line,omitempty"`
	Text string `json:"text"`
	By   string `json:"by"`
	At   string `json:"at"`
	Read string `json:"read"`
}

type ruleModel struct {
	ID      int64  `json:"id"`
	UID     string `json:"uid,omitempty"`
	Version int    `json:"version"`
	State   string `json:"state"`
	Name    string `json:"name"`
	Reason  string `json:"reason,omitempty"`
	bodyModel
}

type bodyModel struct {
	Kind     string         `json:"kind"`
	Family   string         `json:"family"`
	Target   string         `json:"target"`
	Scope    scopeModel     `json:"scope"`
	When     string         `json:"when"`
	Effect   effectModel    `json:"effect"`
	On       occasionsModel `json:"on"`
	Priority int            `json:"priority"`
	Note     noteModel      `json:"note"`
}

type scopeModel struct {
	Companies []string `json:"companies"`
	Types     []string `json:"types"`
	From      string   `json:"from"`
	Until     string   `json:"until"`
}

type effectModel struct {
	Need        string       `json:"need,omitempty"`
	Access      string       `json:"access,omitempty"`
	Cursor      string       `json:"cursor,omitempty"`
	Keying      string       `json:"keying,omitempty"`
	Mode        string       `json:"tie,omitempty"`
	Lifetime    string       `json:"lifetime,omitempty"`
	Fixed       bool         `json:"fixed,omitempty"`
	Value       string       `json:"value,omitempty"`
	Series      string       `json:"series,omitempty"`
	Must        string       `json:"must,omitempty"`
	Severity    string       `json:"severity,omitempty"`
	Message     string       `json:"message,omitempty"`
	Unique      *uniqueModel `json:"unique,omitempty"`
	Bands       []bandModel  `json:"bands,omitempty"`
	Points      string       `json:"points,omitempty"`
	Moments     []string     `json:"moments,omitempty"`
	WhenChanged []string     `json:"whenChanged,omitempty"`
}

type uniqueModel struct {
	With       []string `json:"with"`
	Everywhere bool     `json:"everywhere"`
	Ignore     []string `json:"ignore"`
	Near       bool     `json:"near"`
}

type bandModel struct {
	Label     string `json:"label"`
	Until     string `json:"until"`
	Including bool   `json:"including"`
	Level     string `json:"tone"`
	Shape     string `json:"shape"`
}

type occasionsModel struct {
	New    bool `json:"new"`
	Change bool `json:"change"`
}

type noteModel struct {
	AskedBy string   `json:"askedBy"`
	AskedOn string   `json:"askedOn"`
	Why     string   `json:"why"`
	Tags    []string `json:"tags,omitempty"`
}

type standingModel struct {
	Field   fieldModel           `json:"field"`
	Note    string               `json:"note"`
	Periods []standingValueModel `json:"periods"`
}

type standingValueModel struct {
	Company string `json:"company"`
	periodModel
	Value string `json:"value"`
}

type periodModel struct {
	From  string `json:"from"`
	Until string `json:"until"`
}

type crosswalkModel struct {
	Key     string       `json:"key"`
	Label   string       `json:"label"`
	Note    string       `json:"note"`
	Keys    []fieldModel `json:"keys"`
	Results []fieldModel `json:"results"`
	Rows    []rowModel   `json:"rows"`
	Default []string     `json:"default"`
}

type rowModel struct {
	Keys    []string `json:"keys"`
	Results []string `json:"results"`
	periodModel
}

type seriesModel struct {
	Key       string         `json:"key"`
	Label     string         `json:"label"`
	Note      string         `json:"note"`
	Parts     []partModel    `json:"parts"`
	Start     int64          `json:"start"`
	Step      int64          `json:"step"`
	End       int64          `json:"end"`
	Reset     string         `json:"reset"`
	ByCompany bool           `json:"byCompany"`
	Numbers   *numberedModel `json:"numbers,omitempty"`
}

type partModel struct {
	Is     string `json:"is"`
	Text   string `json:"text,omitempty"`
	Digits int    `json:"digits,omitempty"`
	Method string `json:"method,omitempty"`
}

type numberedModel struct {
	Kind      string   `json:"kind"`
	Companies []string `json:"companies"`
	Types     []string `json:"types"`
}

type documentModel struct {
	Kind             string               `json:"kind"`
	Company          string               `json:"company"`
	Type             string               `json:"type"`
	Day              string               `json:"day"`
	Entered          map[string]itemModel `json:"entered"`
	Lines            []documentLineModel  `json:"lines,omitempty"`
	Stored           map[string]string    `json:"stored,omitzero"`
	StoredLines      []lineModel          `json:"storedLines,omitempty"`
	StoredOrigins    map[string]string    `json:"storedOrigins,omitempty"`
	StoredReasons    []reasonModel        `json:"storedReasons,omitempty"`
	Record           string               `json:"record,omitempty"`
	Previous         *contentModel        `json:"previous,omitempty"`
	PreviousOfType   *contentModel        `json:"previousOfType,omitempty"`
	PreviousOfAnyone *contentModel        `json:"previousOfAnyone,omitempty"`
	Preceding        *precedingModel      `json:"preceding,omitempty"`
	Reasons          map[int64]string     `json:"reasons,omitempty"`
	User             string               `json:"user,omitempty"`
	Format           *formatModel         `json:"format,omitempty"`
	Fixtures         *fixturesModel       `json:"carried,omitempty"`
	Changes          *changesModel        `json:"changes,omitempty"`
}

type itemModel struct {
	Value   string `json:"value,omitempty"`
	Typed   string `json:"typed,omitempty"`
	Again   string `json:"again,omitempty"`
	Carried bool   `json:"carried,omitempty"`
	Derive  bool   `json:"derive,omitempty"`
}

type documentLineModel struct {
	Number  int                  `json:"number"`
	Entered map[string]itemModel `json:"entered"`
}

type precedingModel struct {
	Kind      string `json:"kind"`
	Number    string `json:"number"`
	Followers int    `json:"followers,omitempty"`
}

type fixturesModel struct {
	Records  map[string]map[string]map[string]string `json:"records,omitempty"`
	Missing  map[string]map[string]string            `json:"missing,omitempty"`
	Standing map[string]string                       `json:"standing,omitempty"`
	Lookups  []lookupModel                           `json:"lookups,omitempty"`
	Alike    []alikeModel                            `json:"alike,omitempty"`
}

type lookupModel struct {
	Crosswalk string   `json:"crosswalk"`
	Keys      []string `json:"keys"`
	Column    string   `json:"column"`
	Value     string   `json:"value"`
	Missing   bool     `json:"missing,omitempty"`
}

type alikeModel struct {
	Rule    int64    `json:"rule"`
	Company string   `json:"company"`
	Key     string   `json:"key"`
	Match   string   `json:"manner,omitempty"`
	Numbers []string `json:"numbers"`
}

type changesModel struct {
	Rules []ruleModel `json:"rules"`
}

type expectationModel struct {
	Verdict     string                 `json:"verdict"`
	Values      map[string]string      `json:"values"`
	Messages    []expectedMessageModel `json:"messages"`
	Bands       map[string]string      `json:"bands,omitempty"`
	EntryStates map[string]string      `json:"manners,omitempty"`
	Writes      map[string]string      `json:"writes,omitempty"`
	Acting      []int64                `json:"acting,omitempty"`
}

type expectedMessageModel struct {
	Severity string   `json:"severity"`
	Field    string   `json:"field"`
	Line     int      `json:"line,omitempty"`
	Rule     int64    `json:"rule,omitempty"`
	Code     string   `json:"code,omitempty"`
	Values   []string `json:"values,omitempty"`
}

type proofModel struct {
	ID        int64            `json:"id"`
	Name      string           `json:"name"`
	Rules     []int64          `json:"rules"`
	Given     documentModel    `json:"given"`
	Expect    expectationModel `json:"expect"`
	Posting   string           `json:"posting,omitempty"`
	Seen      map[int64]int    `json:"seen,omitempty"`
	Unread    bool             `json:"unread,omitempty"`
	Version   int              `json:"version,omitempty"`
	ChangedAt string           `json:"changedAt,omitempty"`
	ChangedBy string           `json:"changedBy,omitempty"`
	Codicil   int64            `json:"codicil,omitempty"`
}

type traceModel struct {
	Verdict   string               `json:"verdict"`
	Day       string               `json:"day"`
	Today     string               `json:"today"`
	Version   judgedByModel        `json:"version"`
	Changes   []tracedChangeModel  `json:"changes,omitempty"`
	Fields    []tracedFieldModel   `json:"fields"`
	Lines     []tracedLineModel    `json:"lines"`
	Messages  []tracedMessageModel `json:"messages"`
	FollowUps []tracedWriteModel   `json:"followUps,omitempty"`
}

type judgedModel struct {
	Document documentModel `json:"document"`
	Basis    basisModel    `json:"basis"`
}

type basisModel struct {
	At               string           `json:"at"`
	Today            string           `json:"today"`
	User             string           `json:"user"`
	Moment           string           `json:"moment"`
	Keyed            bool             `json:"keyed,omitempty"`
	Version          judgedByModel    `json:"version"`
	Before           int              `json:"before,omitempty"`
	AsStored         bool             `json:"asStored,omitempty"`
	Records          []readModel      `json:"records,omitempty"`
	Previous         readModel        `json:"previous,omitzero"`
	PreviousOfType   readModel        `json:"previousOfType,omitzero"`
	PreviousOfAnyone readModel        `json:"previousOfAnyone,omitzero"`
	Same             []answerModel    `json:"same,omitempty"`
	Counts           map[string]int64 `json:"counts,omitempty"`
	Sum              string           `json:"sum"`
}

type readModel struct {
	Kind    string `json:"kind"`
	Number  string `json:"number"`
	Version int    `json:"version"`
}

type answerModel struct {
	Rule    int64    `json:"rule"`
	Key     string   `json:"key"`
	Numbers []string `json:"numbers"`
}

type judgedByModel struct {
	Book    int64  `json:"book"`
	Program string `json:"program"`
	// Codicil is on top of the book, as at a revision; 0: none.
	Codicil  int64 `json:"codicil,omitempty"`
	Revision int   `json:"revision,omitempty"`
}

type tracedChangeModel struct {
	Rule    int64  `json:"rule"`
	Version int    `json:"version"`
	Name    string `json:"name,omitempty"`
}

type tracedFieldModel struct {
	Key         string            `json:"key"`
	Entered     tracedValueModel  `json:"entered"`
	Sourced     tracedValueModel  `json:"sourced"`
	Defaulted   tracedValueModel  `json:"defaulted"`
	Computed    tracedValueModel  `json:"computed"`
	Substituted tracedValueModel  `json:"substituted"`
	Final       tracedValueModel  `json:"final"`
	Offered     *tracedValueModel `json:"offered,omitempty"`
	Stored      *tracedValueModel `json:"stored,omitempty"`
	Made        string            `json:"made"`
	Origin      string            `json:"origin,omitempty"`
	Misfit      string            `json:"misfit,omitempty"`
	Need        string            `json:"need,omitempty"`
	Access      string            `json:"access,omitempty"`
	Cursor      string            `json:"cursor,omitempty"`
	Twice       bool              `json:"twice,omitempty"`
	Band        *bandModel        `json:"band,omitempty"`
	BandRule    int64             `json:"bandRule,omitempty"`
	Acts        []tracedActModel  `json:"acts"`
}

type tracedValueModel struct {
	Text  string `json:"text"`
	Value string `json:"value"`
}

type tracedActModel struct {
	Rule    int64             `json:"rule"`
	Version int               `json:"version"`
	Family  string            `json:"family"`
	Phrase  string            `json:"phrase"`
	Did     string            `json:"did"`
	Reason  string            `json:"reason,omitempty"`
	By      int64             `json:"by,omitempty"`
	Before  tracedValueModel  `json:"before"`
	After   tracedValueModel  `json:"after"`
	Facts   []tracedFactModel `json:"facts"`
}

type tracedFactModel struct {
	Text  string `json:"text"`
	Value string `json:"value"`
}

type tracedLineModel struct {
	Number int                `json:"number"`
	Fields []tracedFieldModel `json:"fields"`
}

type tracedMessageModel struct {
	Severity string              `json:"severity"`
	Code     string              `json:"code"`
	Field    string              `json:"field"`
	Label    string              `json:"label,omitempty"`
	Text     string              `json:"text"`
	Reason   string              `json:"reason,omitempty"`
	Line     int                 `json:"line,omitempty"`
	Rule     int64               `json:"rule,omitempty"`
	Given    *reasonModel        `json:"given,omitempty"`
	Records  []tracedRecordModel `json:"records,omitempty"`
}

type tracedRecordModel struct {
	Kind   string `json:"what"`
	Number string `json:"key"`
	Title  string `json:"title"`
}

type tracedWriteModel struct {
	Rule   int64            `json:"rule"`
	Line   int              `json:"line,omitempty"`
	Kind   string           `json:"kind"`
	Number string           `json:"number"`
	Title  string           `json:"title"`
	Field  string           `json:"field"`
	Label  string           `json:"label"`
	Before tracedValueModel `json:"before"`
	After  tracedValueModel `json:"after"`
}
