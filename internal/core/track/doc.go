// Package track measures a run from the places that a watch wrote down.
//
// A receiver errs by metres from second to second, so adding up the straight lines between
// its places makes every run too long, and thinning them out cuts the bends. Here the
// places of a stretch are smoothed together (Rauch, Tung and Striebel 1965) under the
// plainest model of somebody running: a velocity that drifts (white noise of
// acceleration, spectral density q) seen through places with an error of σ metres. q and σ
// are those under which the track is likeliest, so a track of a good receiver is hardly
// touched and a bad one much. The distance is the integral of the smoothed speed along the
// cubic through places and velocities, not the sum of chords.
//
// Places are brought to metres on the WGS84 ellipsoid. What does not belong to the run is
// taken out: a place that no runner can have reached (a jump), standing (a pause), and a
// time without places (a gap), over which the straight line counts where its speed is one
// that people move at. Ascent is the sum of rises of more than 3 m in heights that are
// smoothed over 15 s (house).
package track
