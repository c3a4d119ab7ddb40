// Command hostile makes packages that are built to take time or memory, judges
// each with a built program, and prints what it took. It exits with 1 when one
// passes a bound.
//
//	go build -o /tmp/regola ./cmd/regola && go run ./scripts/hostile /tmp/regola [PART OF A NAME]
package main

import (
	"bytes"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"strconv"
	"strings"
	"syscall"
	"time"

	"regola.example/regola/internal/hostile"
)

const (
	longest = 5 * time.Second
	most    = 150 << 10 // KB
)

func main() {
	if len(os.Args) < 2 {
		fmt.Fprintln(os.Stderr, "give the path of a built program, and a part of a kind's name if not all shall run")
		os.Exit(2)
	}
	if os.Args[1] == "make" {
		write(os.Args[2], os.Args[3])
		return
	}
	dir, err := os.MkdirTemp("", "hostile")
	if err != nil {
		fmt.Fprintln(os.Stderr, err)
		os.Exit(2)
	}
	defer os.RemoveAll(dir)
	over := 0
	for i, k := range hostile.Kinds() {
		if len(os.Args) > 2 && !strings.Contains(k.Name+" "+k.File, os.Args[2]) {
			continue
		}
		path := filepath.Join(dir, k.File)
		// In a process of its own: the peak of memory that the system tells of a
		// child begins with what its parent held.
		self := exec.Command(os.Args[0], "make", fmt.Sprint(i), path)
		if out, err := self.CombinedOutput(); err != nil {
			fmt.Fprintln(os.Stderr, k.Name, err, string(out))
			os.Exit(2)
		}
		size := int64(0)
		if info, err := os.Stat(path); err == nil {
			size = info.Size()
		}
		fmt.Printf("%-66s %8d KB", k.Name, size>>10)
		said := ""
		for _, args := range [][]string{{"check", "--alone", "--format", "json"}, {"facts"}} {
			took, kb, exit, out := run(os.Args[1], append(args, path)...)
			mark := ""
			if exit == 2 || exit < 0 {
				said = string(out[:min(len(out), 300)])
			}
			if took > longest || kb > most || exit > 2 || exit < 0 {
				mark, over = " OVER", over+1
			}
			fmt.Printf("  %s %5.2f s %4d MB exit %d %6d KB%s", args[0], took.Seconds(), kb>>10, exit, len(out)>>10, mark)
		}
		fmt.Println()
		if said != "" {
			fmt.Println("   ", said)
		}
	}
	if over > 0 {
		fmt.Println(over, "over the bounds")
		os.RemoveAll(dir)
		os.Exit(1)
	}
}

// write makes the i-th kind.
func write(i, path string) {
	n, err := strconv.Atoi(i)
	if err == nil {
		var f *os.File
		if f, err = os.Create(path); err == nil {
			err = hostile.Kinds()[n].Make(f)
			f.Close()
		}
	}
	if err != nil {
		fmt.Fprintln(os.Stderr, err)
		os.Exit(2)
	}
}

// run gives the time, the peak of memory in KB, the exit status and the output.
func run(program string, args ...string) (time.Duration, int64, int, []byte) {
	var out, errs bytes.Buffer
	c := exec.Command(program, args...)
	c.Stdout, c.Stderr = &out, &errs
	start := time.Now()
	timer := time.AfterFunc(60*time.Second, func() { c.Process.Kill() })
	defer timer.Stop()
	_ = c.Run()
	usage := c.ProcessState.SysUsage().(*syscall.Rusage)
	return time.Since(start), usage.Maxrss, c.ProcessState.ExitCode(), append(out.Bytes(), errs.Bytes()...)
}
