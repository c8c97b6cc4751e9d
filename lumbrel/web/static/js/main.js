// What every page does: each part looks after itself. Every figure comes from the server.
import "./alarm.js";
import "./blend.js";
import "./board.js";
import "./candy.js";
import "./coach.js";
import "./cup.js";
import "./dip.js";
import "./field.js";
import "./forms.js";
import "./jars.js";
import "./keypad.js";
import "./keys.js";
import "./labels.js";
import "./photo.js";
import "./set_up.js";
import "./take_in.js";
import "./working.js";
