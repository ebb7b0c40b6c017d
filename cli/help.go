package cli

const rootHelp = `{{.Name}} — {{.Usage}}

{{.Description}}

Use: yewcone COMMAND [options]
{{range .VisibleCommands}}{{if ne .Name "help"}}
  {{printf "%-10s" .Name}} {{.Usage}}{{end}}{{end}}

"yewcone help COMMAND" tells more. A first look: yewcone demo
Completion for your shell: source <(yewcone completion bash), or zsh, fish, pwsh
Exit status: 0 nothing to report, 1 findings, 2 a wrong call or configuration, 3 an export
that could not be read to its end.
`

const commandHelp = `yewcone {{.Name}} — {{.Usage}}

Use: yewcone {{.Name}} {{.ArgsUsage}}

{{.Description}}
{{if .VisibleFlags}}
Options:
{{range .VisibleFlags}}{{if ne (index .Names 0) "help"}}  {{.}}
{{end}}{{end}}{{end}}`
