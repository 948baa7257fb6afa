package main

import (
	"encoding/base64"
	"errors"
	"fmt"
	"io/fs"
	"net/netip"
	"os"
	"strings"
	"time"

	"github.com/spf13/cobra"
	"github.com/spf13/pflag"
	"github.com/spf13/viper"

	"codicil/internal/app/backups"
	"codicil/internal/app/people"
	"codicil/internal/httpapi"
)

// settings are how the server is set up: by flags, which go before the environment (CODICIL_ADDRESS for address), which goes
// before the file.
type settings struct{ *viper.Viper }

// The names of the settings.
const (
	setAddress     = "address"
	setData        = "data"
	setMemory      = "memory"
	setHosts       = "host"
	setProxies     = "proxy"
	setCertificate = "tls-certificate"
	setKey         = "tls-key"
	setIdle        = "session-idle"
	setLongest     = "session-longest"
	setWord        = "word-holds"
	setRate        = "key-rate"
	setBackups     = "backup-folder"
	setEvery       = "backup-every"
	setKeep        = "backup-keep"
	setCount       = "count-every"
	setHeads       = "trail-heads"
	setSeal        = "seal-key"

	// Of the provider of sign-ins.
	setIssuer        = "oidc-issuer"
	setName          = "oidc-name"
	setClient        = "oidc-client"
	setSecret        = "oidc-secret"
	setScopes        = "oidc-scopes"
	setSignIn        = "oidc-sign-in"
	setLink          = "oidc-link"
	setAdd           = "oidc-add"
	setRolesFrom     = "oidc-roles-claim"
	setRoles         = "oidc-roles"
	setCompaniesFrom = "oidc-companies-claim"
	setCompanies     = "oidc-companies"
)

const (
	usualEvery = 24 * time.Hour
	usualKeep  = 14
	usualRate  = 500
)

// serveFlags adds a flag for every setting.
func serveFlags(f *pflag.FlagSet) {
	f.String(setAddress, defaultAddress, "address to listen on; one that is not of this machine needs --host, and TLS or --proxy")
	f.String(setData, defaultData, "database file; made where it is missing")
	f.Int(setMemory, memoryLimit, "MB of memory that are aimed at; a fifth of it keeps records that were read lately")
	f.StringSlice(setHosts, nil, "names by which browsers and programs ask for the server, besides those of this machine")
	f.StringSlice(setProxies, nil, "addresses of proxies in front of the server, such as 10.0.0.1 or 10.0.0.0/24; they are believed when they say for whom they ask")
	f.String(setCertificate, "", "file of the certificate of TLS; it is read again when it changes")
	f.String(setKey, "", "file of its key")
	f.Duration(setIdle, people.Usual.Idle, "how long a session may rest")
	f.Duration(setLongest, people.Usual.Longest, "how long a session may last at all")
	f.Duration(setWord, people.Usual.Word, "how long a one-time word holds")
	f.Int(setRate, usualRate, "requests that a key of a program may send in a second")
	f.String(setBackups, "", "folder for backups that the server makes; none: it makes none")
	f.Duration(setEvery, usualEvery, "how often it makes one")
	f.Int(setKeep, usualKeep, "how many of them stay; 0: all")
	f.Duration(setCount, usualEvery, "how often it is counted which saved records break the checks in force; 0: only when somebody asks")
	f.String(setHeads, "", "file to which the head of the trail is added every ten minutes; keep it where nobody reaches who writes the data")
	f.String(setSeal, "", "file with the key that seals secrets of second factors in the data, made where it is missing; keep it apart from the data and its backups. None: they are not sealed")
	f.String(setIssuer, "", "address of a provider of sign-ins (OpenID Connect); none: people sign in with passwords only. Tell it /sign-in/return of every --host as the address to send browsers back to")
	f.String(setName, "", "how people call the provider; none: its host")
	f.String(setClient, "", "by what the provider knows Codicil")
	f.String(setSecret, "", "the secret of that; better in the environment, as CODICIL_OIDC_SECRET, than on a command line that others see")
	f.StringSlice(setScopes, []string{"profile", "email"}, "scopes to ask the provider for, besides openid")
	f.String(setSignIn, "preferred_username", "claim with the name to sign in with")
	f.Bool(setLink, false, "take who has that name here for the person the provider means; say so only where people cannot choose that name there themselves")
	f.Bool(setAdd, false, "add whom the provider knows and who is not a person here; needs --oidc-roles")
	f.String(setRolesFrom, "groups", "claim that decides on roles; parts of claims by a path with dots")
	f.StringSlice(setRoles, nil, "what its values stand for, such as finance-rules=keeper; none: roles are given here")
	f.String(setCompaniesFrom, "groups", "claim that decides on companies")
	f.StringSlice(setCompanies, nil, "what its values stand for, such as site-harbour=30, or head-office=* for all; none: companies are given here")
	f.String("config", "", "file of settings in YAML, TOML or JSON, by the names of these flags; CODICIL_CONFIG names it too")
}

// read reads the settings of a command.
func read(c *cobra.Command) (settings, error) {
	v := viper.New()
	v.SetEnvPrefix("codicil")
	v.SetEnvKeyReplacer(strings.NewReplacer("-", "_"))
	v.AutomaticEnv()
	if err := v.BindPFlags(c.Flags()); err != nil {
		return settings{}, err
	}
	if file := v.GetString("config"); file != "" {
		v.SetConfigFile(file)
		if err := v.ReadInConfig(); err != nil {
			return settings{}, fmt.Errorf("read the settings: %w", err)
		}
		for _, key := range v.AllKeys() {
			if c.Flags().Lookup(key) == nil {
				return settings{}, fmt.Errorf("%s: there is no setting %q; codicil settings lists them", file, key)
			}
		}
	}
	s := settings{v}
	if memory := v.GetInt(setMemory); memory < leastMemory {
		return s, fmt.Errorf("--memory %d: give at least %d (MB)", memory, leastMemory)
	}
	for _, key := range []string{setIdle, setLongest, setWord, setEvery} {
		if v.GetDuration(key) < time.Minute {
			return s, fmt.Errorf("--%s %s: give at least a minute, such as 90m or 12h", key, v.GetString(key))
		}
	}
	if v.GetInt(setRate) < 1 || v.GetInt(setKeep) < 0 {
		return s, errors.New("--key-rate is 1 at least, and --backup-keep 0 at least")
	}
	_, err := s.proxies()
	_, wrong := s.provider()
	return s, errors.Join(err, wrong)
}

// list is a setting of several values, which the environment divides by commas.
func (s settings) list(key string) (values []string) {
	for _, text := range s.GetStringSlice(key) {
		for _, value := range strings.Split(text, ",") {
			if value = strings.TrimSpace(value); value != "" {
				values = append(values, value)
			}
		}
	}
	return values
}

func (s settings) proxies() (proxies []netip.Prefix, err error) {
	for _, text := range s.list(setProxies) {
		p, err := netip.ParsePrefix(text)
		if err != nil {
			at, err := netip.ParseAddr(text)
			if err != nil {
				return nil, fmt.Errorf("--proxy %q is no address; write 10.0.0.1 or 10.0.0.0/24", text)
			}
			p = netip.PrefixFrom(at, at.BitLen())
		}
		proxies = append(proxies, p)
	}
	return proxies, nil
}

func (s settings) network() httpapi.Network {
	proxies, _ := s.proxies() // which read has looked at
	return httpapi.Network{Address: s.GetString(setAddress), Certificate: s.GetString(setCertificate), Key: s.GetString(setKey), Hosts: s.list(setHosts), Proxies: proxies}
}

func (s settings) people() people.Settings {
	return people.Settings{Idle: s.GetDuration(setIdle), Longest: s.GetDuration(setLongest), Word: s.GetDuration(setWord)}
}

func (s settings) backups() backups.Plan {
	return backups.Plan{Folder: s.GetString(setBackups), Every: s.GetDuration(setEvery), Keep: s.GetInt(setKeep), Heads: s.GetString(setHeads)}
}

// masked is printed for what nobody is to read.
const masked = "(set)"

// seal reads the key that seals secrets, or makes one.
func (s settings) seal() ([]byte, error) {
	path := s.GetString(setSeal)
	if path == "" {
		return nil, nil
	}
	text, err := os.ReadFile(path)
	if errors.Is(err, fs.ErrNotExist) {
		key := people.NewSealKey()
		return key, os.WriteFile(path, []byte(base64.StdEncoding.EncodeToString(key)+"\n"), 0o600)
	}
	if err != nil {
		return nil, err
	}
	key, err := base64.StdEncoding.DecodeString(strings.TrimSpace(string(text)))
	if err == nil && len(key) != people.SealBytes {
		err = fmt.Errorf("it has %d bytes, not %d", len(key), people.SealBytes)
	}
	if err != nil {
		return nil, fmt.Errorf("--%s %s holds no key: %w", setSeal, path, err)
	}
	return key, nil
}

func settingsCommand() *cobra.Command {
	c := &cobra.Command{
		Use:   "settings",
		Short: "Print how serve would be set up, by flags, environment and file",
		Args:  cobra.NoArgs,
		RunE: func(c *cobra.Command, _ []string) error {
			s, err := read(c)
			if err != nil {
				return err
			}
			c.Flags().VisitAll(func(f *pflag.Flag) {
				if f.Name == "help" || f.Name == "config" || c.InheritedFlags().Lookup(f.Name) != nil {
					return
				}
				value := s.GetString(f.Name)
				switch f.Value.Type() {
				case "duration":
					value = s.GetDuration(f.Name).String()
				case "stringSlice":
					value = strings.Join(s.list(f.Name), ", ")
				}
				if f.Name == setSecret && value != "" {
					value = masked
				}
				_, _ = fmt.Fprintf(c.OutOrStdout(), "%-20s %s\n", f.Name, value)
			})
			return nil
		},
	}
	serveFlags(c.Flags())
	return c
}
