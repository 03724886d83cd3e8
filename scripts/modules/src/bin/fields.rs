//! A page with a typed form that has fields alone.

fn main() {
    modules::shown(modules::used_fields().map(drop));
}
