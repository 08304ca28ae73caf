//! All names, settled before anything is written.

use crate::spec::Name;

/// Keywords of C99 (6.4.1) and C++11 (2.12), and the headers of C99 (7.1.2), whose names a header of ours
/// must not take.
const C_RESERVED: &str = "auto break case char const continue default do double else enum extern float for goto if \
    inline int long register restrict return short signed sizeof static struct switch typedef union unsigned void \
    volatile while alignas alignof and and_eq asm bitand bitor bool catch char16_t char32_t class compl constexpr \
    const_cast decltype delete dynamic_cast explicit export false friend mutable namespace new noexcept not not_eq \
    nullptr operator or or_eq private protected public reinterpret_cast static_assert static_cast template this \
    thread_local throw true try typeid typename using virtual wchar_t xor xor_eq \
    assert complex ctype errno fenv float inttypes iso646 limits locale math setjmp signal stdarg stdbool stddef \
    stdint stdio stdlib string tgmath time wchar wctype";

/// Keywords of Verilog (IEEE 1364-2005, annex B) and SystemVerilog (IEEE 1800-2017, annex B), since many tools
/// read the one as the other.
const VERILOG_RESERVED: &str = "accept_on alias always always_comb always_ff always_latch and assert assign assume \
    automatic before begin bind bins binsof bit break buf bufif0 bufif1 byte case casex casez cell chandle checker \
    class clocking cmos config const constraint context continue cover covergroup coverpoint cross deassign default \
    defparam design disable dist do edge else end endcase endchecker endclass endclocking endconfig endfunction \
    endgenerate endgroup endinterface endmodule endpackage endprimitive endprogram endproperty endsequence \
    endspecify endtable endtask enum event eventually expect export extends extern final first_match for force \
    foreach forever fork forkjoin function generate genvar global highz0 highz1 if iff ifnone ignore_bins \
    illegal_bins implements implies import incdir include initial inout input inside instance int integer \
    interconnect interface intersect join join_any join_none large let liblist library local localparam logic \
    longint macromodule matches medium modport module nand negedge nettype new nexttime nmos nor \
    noshowcancelled not notif0 notif1 null or output package packed parameter pmos posedge primitive priority \
    program property protected pull0 pull1 pulldown pullup pulsestyle_ondetect pulsestyle_onevent pure rand \
    randc randcase randsequence rcmos real realtime ref reg reject_on release repeat restrict return rnmos rpmos \
    rtran rtranif0 rtranif1 s_always s_eventually s_nexttime s_until s_until_with scalared sequence shortint \
    shortreal showcancelled signed small soft solve specify specparam static string strong strong0 strong1 struct \
    super supply0 supply1 sync_accept_on sync_reject_on table tagged task this throughout time timeprecision \
    timeunit tran tranif0 tranif1 tri tri0 tri1 triand trior trireg type typedef union unique unique0 unsigned \
    until until_with untyped use uwire var vectored virtual void wait wait_order wand weak weak0 weak1 while \
    wildcard wire with within wor xnor xor";

/// The names of one filter in the generated text and its files.
///
/// ```
/// use mellow_rake::{spec::Name, write::Symbols};
/// assert_eq!(Symbols::new(&Name::new("pump_hum").unwrap()).base(), "pump_hum");
/// assert_eq!(Symbols::new(&Name::new("register").unwrap()).base(), "register_filter");
/// ```
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Symbols {
    base: String,
}

impl Symbols {
    /// The names that follow from a filter's name; a reserved word of any language that is written
    /// gets the ending `_filter` in all of them.
    pub fn new(name: &Name) -> Self {
        let reserved = |words: &str| words.split_whitespace().any(|word| word == name.as_str());
        let base = if reserved(C_RESERVED) || reserved(VERILOG_RESERVED) {
            format!("{name}_filter")
        } else {
            name.to_string()
        };
        Symbols { base }
    }

    /// The stem of all symbols and files.
    pub fn base(&self) -> &str {
        &self.base
    }

    /// The stem in capitals, for include guards.
    pub(super) fn capitals(&self) -> String {
        self.base.to_ascii_uppercase()
    }
}
