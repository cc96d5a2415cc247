/** What masks do, in words. */

export const DOES = { discard_outside: "discard what is outside", discard_inside: "discard what is inside", keep_inside: "keep what is inside", limit: "limit to its inside" };
export const JOINS = { add: "added to", take_away: "taken away from", common: "in common with", either: "either this or" };
export const LINES = {
  levels: "clear and solid", fill_holes: "closing of holes", tracking_marks: "taking out of tracking marks", specks: "taking out of bits", see_through: "glass and gauze", edge_smoothing: "calming along edges",
  qualifier: "hues of the screen", joined: "joined ground", recover: "fine detail", choke: "moving of the edge", edge_colour: "colour of the edge",
  balance: "white balance", grade: "brightness and tones", match: "matching to a ground", tint: "tint", sharpen: "sharpening", grain: "grain",
};
