//! Tests of axes.

use crate::model::axis::{Axis, BadAxisValue, check_axis_value};

#[test]
fn refuses_a_value_that_could_leave_a_folder() {
    for value in ["", ".", "..", "a/b", "../x", "a\\b", "a b", "é", "a\0", "a\n", "$(x)", "a:b"] {
        assert_eq!(check_axis_value(value), Err(BadAxisValue::Characters), "{value:?}");
    }
    for value in ["dev", "eu-1", "v1.2_x", "...", "a..b", "-"] {
        assert_eq!(check_axis_value(value), Ok(()), "{value:?}");
    }
}

#[test]
fn lets_only_an_open_axis_have_other_values() {
    let closed = Axis { name: "a".into(), allowed: vec!["dev".into()], open: false };
    assert_eq!(closed.check("dev"), Ok(()));
    assert_eq!(closed.check("Dev"), Err(BadAxisValue::NotAllowed));
    let open = Axis { open: true, ..closed };
    assert_eq!(open.check("Dev"), Ok(()));
    assert_eq!(open.check("../dev"), Err(BadAxisValue::Characters));
}
