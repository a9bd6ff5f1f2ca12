//! Writes the JavaScript beside a module of WebAssembly: `bindings MODULE.wasm FOLDER`.

#![forbid(unsafe_code)]

fn main() -> Result<(), Box<dyn std::error::Error>> {
    let words: Vec<String> = std::env::args().skip(1).collect();
    let [module, folder] = words.as_slice() else {
        return Err("expected a module and a folder".into());
    };
    let mut bindings = wasm_bindgen_cli_support::Bindgen::new();
    // A script that can be run again, for an instance of its own each time.
    bindings.input_path(module).out_name("glue").no_modules(true)?.typescript(false).generate(folder)?;
    Ok(())
}
