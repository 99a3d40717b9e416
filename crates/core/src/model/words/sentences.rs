//! The sentences that show why a setting has its value, or none.

pub(crate) const SET_BY: &str = "{layer} sets {value} ({place}). {ending}";
pub(crate) const NO_STRONGER: &str = "No stronger layer sets it.";
pub(crate) const NO_OTHER: &str = "No other layer sets it.";
pub(crate) const AT_LAYER: &str = "{layer} ({place})";
pub(crate) const WITH_VALUE: &str = "{what} ({value})";
pub(crate) const OVERRIDES: &str = "It overrides {what}.";
pub(crate) const INVALID: &str = "The value is invalid: {why}. No weaker value is used instead.";
pub(crate) const NOT_READABLE: &str =
    "The value cannot be read: {why}. No weaker value is used instead.";
pub(crate) const UNCERTAIN: &str = "The value is uncertain: {why}.";
pub(crate) const WHETHER_UNCERTAIN: &str = "Whether it is set is uncertain: {why}.";
pub(crate) const ENCRYPTED: &str = "The file has it encrypted.";
pub(crate) const HISTORY: &str = "It was {history}.";
pub(crate) const COPY: &str = "Note: {copy}.";
pub(crate) const WITHHELD: &str = "The value of {layer} ({place}) is withheld: {why}.";
pub(crate) const JOINS: &str = "The list joins {parts}, {order}. {ending}";
pub(crate) const STRONGER_FIRST: &str = "items of stronger layers first";
pub(crate) const WEAKER_FIRST: &str = "items of weaker layers first";
pub(crate) const WEAKER_FIRST_ONCE: &str = "items of weaker layers first, without repeats";
pub(crate) const EMPTY: &str = "The empty string of {what} counts as not set.";
pub(crate) const BLOCKS: &str = "{pin} blocks {what}.";
pub(crate) const PIN_OF_KEY: &str = "{layer} pins {key} ({place}), which";
pub(crate) const PIN: &str = "{layer} pins it, which";
pub(crate) const A_PIN: &str = "A pin";
pub(crate) const BOTH: &str = "{one} {other}";
pub(crate) const REPLACES: &str = "It replaces {keys}: a key has either a value or keys below it.";
pub(crate) const MORE: &str = "{count} more";
pub(crate) const SECRET_AS_A_WHOLE: &str = "It contains references, and is secret as a whole.";
pub(crate) const WITH_REFERENCES: &str = "With its references it is {value}.";
pub(crate) const BECAME: &str = "The string {from} became {kind}, {value}, {like}.";
pub(crate) const SECRET_BECAME: &str = "The string became {kind}, {like}.";
pub(crate) const LIKE: &str = "like {layer} ({place})";
pub(crate) const AS_DECLARED: &str = "as the catalogue declares";
pub(crate) const AMOUNTS: &str = "This is {amount}.";
pub(crate) const STAYS_STRING: &str =
    "It stays a string: it is not {kind}, which {layer} sets ({place}).";
pub(crate) const LOCAL_WINS: &str = "Note: {layer} is a local layer; it describes this machine or \
                                     shell, not the context of --in.";
pub(crate) const DID_YOU_MEAN: &str =
    "{layer} has {name}{place}, which is not used; did you mean {meant}?";
pub(crate) const IN_BRACKETS: &str = " ({place})";
pub(crate) const DECLARED_ONLY: &str = "It is declared, but no layer sets it here.";
pub(crate) const NO_LAYER: &str = "No layer sets it here.";
pub(crate) const NOT_DECLARED: &str = "It is not declared; did you mean {meant}?";
pub(crate) const DOES: &str = "{layer} {does}{of} ({place}).{effect}";
pub(crate) const REMOVES_VALUE: &str = " This removes the value of {what}.";
pub(crate) const RESHAPES: &str =
    "{layer} sets {key} ({place}); a key has either a value or keys below it.";
pub(crate) const PIN_BLOCKS: &str = "{layer} {does} with {key} ({place}), which blocks {what}.";
pub(crate) const PINS_IT: &str = "pins it";
pub(crate) const PINS_THAT_NOT: &str = "pins that it is not set";
