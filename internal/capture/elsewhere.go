package capture

import (
	"strings"

	"zarvek/internal/capture/layout"
	"zarvek/internal/lazyregexp"
)

// A command may be run elsewhere than on the device whose prompt it was given at: by ssh on another device, by an agent
// of SNMP or RESTCONF, in a network namespace or in a container, which forward for themselves.

// atOther matches a command given to another device by ssh in one line: its name, and what it is to run.
var atOther = lazyregexp.New(`^(?:sudo )?(?:sshpass (?:-e |-[pfd] ?\S+ )+)?(?:\S*/)?ssh2? (?:-[46AaCkqTtvXxY]+ ` +
	`|-[EFIJLRSWbcilmop] ?\S+ )*(?:[\w.-]+@)?([A-Za-z][\w.-]*) +(?:-- )?["']?([^"'\s][^"']*)["']?`)

// onOther returns the device that a command is given to through another one, "" where it is not, and what it is given.
func onOther(command string) (device, given string) {
	if m := atOther.FindStringSubmatch(command); m != nil && asksAtOnce.MatchString(m[2]) {
		return m[1], m[2] + command[len(m[0]):]
	}
	return "", command
}

// walks matches a command that asks an agent of SNMP, which is told by one of its words.
var walks = lazyregexp.New(`^(?:sudo )?(?:\S*/)?snmp(?:bulk)?(?:walk|get|getnext|table)\s+(.*)`)

// agentName matches the word that names the agent: a name or an IPv4 address, how it is reached and by which port.
var agentName = lazyregexp.New(`^(?:(?:udp|tcp|ssh|tlstcp|dtlsudp):)?([\w.-]+)(?::\d+)?$`)

// fetches matches a command that fetches something from a server, or asks one of NETCONF or gNMI.
var fetches = lazyregexp.New(`^(?:sudo )?(?:\S*/)?(?:curl|wget|https?|netconf\S*|gnmi\S*)\s`)

// restconf matches the address of a RESTCONF server (RFC 8040 section 3.1).
var restconf = lazyregexp.New(`\bhttps?://(?:[^@/\s]*@)?([\w.-]+)(?::\d+)?/restconf/`)

// asksAgent returns the agent of SNMP or RESTCONF that a command asks, by its name or address; "" where it asks the
// device itself or no agent. It is not known where the command is in no usual form.
func asksAgent(command string) (agent string, known bool) {
	if fetches.MatchString(command) {
		m := restconf.FindStringSubmatch(command)
		if m == nil {
			return "", false
		}
		return notItself(m[1]), true
	}
	m := walks.FindStringSubmatch(command)
	if m == nil {
		return "", true
	}
	words := strings.Fields(m[1])
	for len(words) > 0 && strings.HasPrefix(words[0], "-") {
		n := 1
		if len(words[0]) == 2 && !walkFlags[words[0]] { // its value is the next word
			n = 2
		}
		words = words[min(n, len(words)):]
	}
	if len(words) == 0 {
		return "", false
	}
	if m = agentName.FindStringSubmatch(words[0]); m == nil {
		return "", false
	}
	return notItself(m[1]), true
}

// notItself is the name of another host, "" for the one that a command is given to.
func notItself(host string) string {
	if host == "localhost" || strings.HasPrefix(host, "127.") {
		return ""
	}
	return host
}

// walkFlags are the options of such commands that stand alone.
var walkFlags = layout.WordSet("-d -h -H -V")

// asksAtOnce matches what is run there and tells something; behind anything else, an option or a shell, somebody may
// have typed what no capture shows.
var asksAtOnce = lazyregexp.New(`^(?:sudo )?(?:` + kernelTool + ` \S|(?:\S*/)?(?:netstat|route|ifconfig|arp)$` +
	`|(?:show|display|get) )`)

// goesAway matches a command with which somebody goes on to another device.
var goesAway = lazyregexp.New(`^(?:s?rlogin|ssh|slogin|telnet|connect|attach|session|stelnet|ssh2|mosh` +
	`|vrf-ssh)\b|^(?:request routing-engine login|start shell)`)

// logsIn matches a line with which a session on another device begins or ends, where no prompt shows the command.
var logsIn = lazyregexp.New(`^(?:(?:[\w.@-]+'s )?[Pp]assword: *|Username: ?\S*|login as: ?\S*|[\w.-]+ login: ?\S*` +
	`|Trying [\da-f.:]+ ?\.\.\..*|Connected to \S+|(?:ssh|telnet) [\w.@:-]+|Last login: .*` +
	`|\[?Connection (?:to .* )?closed(?: by .*)?\.?|Disconnected from .*|The authenticity of host .*` +
	`|Warning: Permanently added .*)\r?$`)

// leaves matches what ends a session, where it is no part of a configuration.
var leaves = lazyregexp.New(`^(?:exit|quit|logout|logoff)[ \t]*\r?$`)

// noAnswer matches a command after which whatever tells routes is not its answer.
var noAnswer = lazyregexp.New(`^(?:(?:exit|quit|logout|logoff|date|uptime|ping6?|traceroute6?|tracert)` +
	`(?: [^;|&]*)?|(?:show|sho|sh|display|get) (?:system )?` +
	`(?:version|ver|clock|date|time|uptime|users|hostname|inventory|privilege))$`)

// asksSpace matches a command that asks a network namespace, which is a device of its own: ip -n NAME ..., ip netns
// exec NAME ...
var asksSpace = lazyregexp.New(`^(?:sudo )?(?:\S*/)?ip (?:-\S+ )*?(?:netns exec|-n(?:etns)?) ([\w.-]+)\s`)

// kernelTool is a program that tells what a kernel has where it runs.
const kernelTool = `(?:\S*/)?(?:ip\w*|netstat|route|vtysh|birdc6?|nft|sysctl|ifconfig|arp|ss|cat|sh|bash)\b`

// asksContainer matches a command that is run in a container whose name it gives.
var asksContainer = lazyregexp.New(`^(?:sudo )?[\w./-]+ (?:\w+ )?exec (?:-[it]+ |--(?:tty` +
	`|interactive) )*([A-Za-z][\w.-]*) (?:-- )?["']?` + kernelTool)

// inSpace matches one that is run in the namespace of a process, of a container or another machine whose name is not
// plain.
var inSpace = lazyregexp.New(`^(?:sudo )?(?:\S*/)?(?:(?:nsenter|unshare|chroot|sshpass|rsh|systemd-run` +
	`|machinectl|xargs)|[\w.-]+ (?:(?:[^|]* )?(?:exec|attach) |run )[^|]*\s["']?` + kernelTool + `)`)

// asksDevice matches a command in a device's own words, of which "run" may be one.
var asksDevice = lazyregexp.New(`^(?:sho?w?|disp?l?a?y?|get|do|run|clear|debug|monitor|more|set|no|undo|exec` +
	`|execute)\b|^\S+ run (?:show|display|get)\b`)

// handsOn matches a command of which the first word is none of those below, and that gives a name and then what
// somebody is to run: the answer may be anybody's.
var handsOn = lazyregexp.New(`^(?:sudo )?([\w.-]+) (?:[^|;&]*? )?["']?(?:(?:\S*/)?ip (?:-\S+ )*` +
	`(?:ro?u?t?e?|a(?:dd)?r?(?:ess)?|li?n?k?|ne?i?gh?|rule?)\b|(?:\S*/)?netstat -|(?:\S*/)?vtysh -)`)

// runsHere are words in front of a command that is run where it was typed.
var runsHere = layout.WordSet(`ip netstat vtysh birdc route env time timeout nice ionice stdbuf watch doas command
	exec strace unbuffer script while for if until do then echo printf set cd ls cat grep egrep awk sed tee diff man
	which type bash sh ash zsh true sleep clear admin cli run start`)

// saysShow matches the words with which devices are asked.
var saysShow = lazyregexp.New(`(?i)\b(?:sho?w?|disp?l?a?y?|get|list|print|diag\w*)\b`)

// handedOn reports whether a command hands another one on.
func handedOn(command string) bool {
	m := handsOn.FindStringSubmatchIndex(command)
	if m == nil || runsHere[command[m[2]:m[3]]] || strings.HasPrefix(command[m[3]:], " ip ") ||
		asksDevice.MatchString(strings.ToLower(command)) {
		return false
	}
	return !saysShow.MatchString(command[:m[1]])
}

// ownExec is iproute's own, which say where.
var ownExec = lazyregexp.New(`\bip (?:-\S+ )*(?:netns|vrf) exec\b`)

// commandSpace returns the namespace or container that a command asks, "" where it asks the device itself.
func commandSpace(command string) string {
	if m := asksSpace.FindStringSubmatch(command); m != nil {
		return m[1]
	}
	if m := asksContainer.FindStringSubmatch(command); m != nil && !ownExec.MatchString(command) {
		return m[1]
	}
	return ""
}

// elsewhere reports whether nobody knows by a command which device answers it.
func elsewhere(command string) bool {
	if _, known := asksAgent(command); !known {
		return true
	}
	low := strings.ToLower(command)
	return goesAway.MatchString(low) || noAnswer.MatchString(low) || handedOn(command) && commandSpace(command) == "" ||
		inSpace.MatchString(command) && !ownExec.MatchString(command) && commandSpace(command) == "" &&
			!asksDevice.MatchString(low)
}
