// Package oracle holds the readers against running systems. Its tests make a
// system of accounts and policies at random, let it live through a history,
// export it with the commands that the program prints, and ask the system
// whether every statement that the program makes of the export is so. A
// difference tells the account, what was said, what the system did, and the
// seed that makes the scenario again.
//
// The tests run where YEWCONE_LIVE is set, as root; YEWCONE_SEEDS tells how many
// scenarios of each family to make (24, or 24+8 for eight from the 24th on), and YEWCONE_SEED makes one of them only.
package oracle
