// Package care is what comes after the sale: changing over to a very different shoe
// (Change), where a shoe rubs and why (Rub), and what belongs under the feet on a given
// day (Season). The methods are those that fitters use, written down in docs/method.md;
// none of it is treatment, and what could be an injury goes to a clinician.
package care
