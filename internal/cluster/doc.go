// Package cluster starts several instances of Trevik on one database for trying and for tests: three
// Galera nodes or a single MariaDB on loopback, two instances, and a small proxy before them. What was
// killed is started again. Faults does to them what happens to machines, and says what was left of what
// had been acknowledged. How a shop runs them for real: docs/operate.md.
package cluster
