//! All names, settled before anything is written.

use crate::spec::Name;

/// Keywords of C99 (6.4.1) and C++11 (2.12), and the headers of C99 (7.1.2), whose names a header of ours
/// must not take.
const C_RESERVED: &str = "auto break case char const continue default do double else enum extern float for \
    goto if inline int long register restrict return short signed sizeof static struct switch typedef union \
    unsigned void volatile while alignas alignof and and_eq asm bitand bitor bool catch char16_t char32_t \
    class compl constexpr const_cast decltype delete dynamic_cast explicit export false friend mutable \
    namespace new noexcept not not_eq nullptr operator or or_eq private protected public reinterpret_cast \
    static_assert static_cast template this thread_local throw true try typeid typename using virtual \
    wchar_t xor xor_eq assert complex ctype errno fenv float inttypes iso646 limits locale math setjmp \
    signal stdarg stdbool stddef stdint stdio stdlib string tgmath time wchar wctype";

/// Keywords of C23 and C++20 beyond these, GNU C's own, and what compilers define before the first line
/// (outside of strict ISO C).
const COMPILER_RESERVED: &str = "char8_t co_await co_return co_yield concept consteval constinit requires \
    final override import module typeof typeof_unqual fortran near far linux unix i386 arm mips sparc sun \
    vax hpux sgi main std";

/// Macros, types, tags and objects of the headers of ISO C and POSIX with their Linux relations, as far as a
/// structure of that name, or a function of that name with an ending of ours, would fall together with them;
/// and headers that others include.
const HEADER_RESERVED: &str = "aiocb aiocb64 aioinit cmsghdr dirent dirent64 drand48_data entry flock \
    flock64 group_filter group_req group_source_req hsearch_data in6_addr in6_pktinfo in_addr in_pktinfo \
    iovec ip6_mtuinfo ip_mreq ip_mreq_source ip_mreqn ip_msfilter ip_opts ipv6_mreq itimerspec itimerval \
    lconv linger mmsghdr mq_attr msghdr obstack option osockaddr passwd pollfd qelem random_data rlimit \
    rusage sched_param sigaction sigcontext sigevent sigstack sigval sockaddr sockaddr_at sockaddr_ax25 \
    sockaddr_dl sockaddr_eon sockaddr_in sockaddr_in6 sockaddr_inarp sockaddr_ipx sockaddr_iso sockaddr_ns \
    sockaddr_storage sockaddr_un sockaddr_x25 stat stat64 statx statx_timestamp termios timespec timeval \
    timex timezone tm ucred utimbuf utsname winsize file_handle f_owner_ex group hostent servent addrinfo \
    aio cnd mtx sem tss thrd inet6_opt inet6_option inet6_rth s6_addr s6_addr16 s6_addr32 sa_handler \
    sa_sigaction si_addr si_addr_lsb si_arch si_band si_call_addr si_fd si_int si_lower si_overrun si_pid \
    si_pkey si_ptr si_status si_stime si_syscall si_timerid si_uid si_upper si_utime si_value \
    sigev_notify_attributes sigev_notify_function st_atime st_ctime st_mtime memory_order jmp_buf sigjmp_buf \
    sighandler d_fileno d_ino math_errhandling stdin stdout stderr noreturn environ va_list uint ulong \
    ushort u_char u_short u_int u_long quad fd_set fd_mask features endian alloca getopt unistd pthread \
    semaphore sched poll dirent fcntl spawn search mqueue malloc memory strings threads stdatomic stdalign \
    stdnoreturn uchar";

/// Ports and memories of a module, which must not hide it.
const OWN: &str = "clk rst in_valid in_ready in_data out_valid out_ready out_data aclk aresetn \
    in_tvalid in_tready in_tdata out_tvalid \
    out_tready out_tdata x y e w g s s1 s2 r1 r2 \
    q1 q2 sums k pass";

/// What the registers and wires of a unit begin with.
const UNIT: &str = "running free opens step head sample channel clearing owed gives takes wraps stores \
    delivers begins adds ending pairs differs aligns passes negates first second result write writes \
    coefficients coefficient pair operand factor exact product passed chosen rounded aligned products sum \
    beginning end given waits waiting advances has size is from narrow positive paired turned \
    load loads asks changes set valid ready data stage start ends";

/// What they go on with, besides numbers.
const UNIT_MORE: &str = "words array late x f slot place step word number multiplied summed write address \
    data pending negates held joined rounded";

/// Whether a name is one of a unit's registers or wires, which must not hide the module.
fn is_of_unit(name: &str) -> bool {
    let mut parts = name.split('_');
    let is_first =
        parts.next().is_some_and(|first| UNIT.split_whitespace().any(|one| one == first));
    let is_number = |part: &str| part.chars().all(|c| c.is_ascii_digit());
    is_first
        && parts.all(|part| is_number(part) || UNIT_MORE.split_whitespace().any(|one| one == part))
}

/// The endings of types and constants of the generated text, which follow from the names of its tables and
/// memories.
const OWN_ENDINGS: [&str; 4] = ["_memory", "_table", "_table_words", "_table_exponents"];

/// What names of filters must not begin with: the families of functions whose names could follow, and the
/// helpers of the generated text.
const RESERVED_BEGINNINGS: [&str; 4] = ["pthread", "posix", "atomic", "mellow_rake"];

/// Keywords of Verilog (IEEE 1364-2005, annex B) and SystemVerilog (IEEE 1800-2017, annex B), since many
/// tools read the one as the other.
const VERILOG_RESERVED: &str = "accept_on alias always always_comb always_ff always_latch and assert assign \
    assume automatic before begin bind bins binsof bit break buf bufif0 bufif1 byte case casex casez cell \
    chandle checker class clocking cmos config const constraint context continue cover covergroup coverpoint \
    cross deassign default defparam design disable dist do edge else end endcase endchecker endclass \
    endclocking endconfig endfunction endgenerate endgroup endinterface endmodule endpackage endprimitive \
    endprogram endproperty endsequence endspecify endtable endtask enum event eventually expect export \
    extends extern final first_match for force foreach forever fork forkjoin function generate genvar global \
    highz0 highz1 if iff ifnone ignore_bins illegal_bins implements implies import incdir include initial \
    inout input inside instance int integer interconnect interface intersect join join_any join_none large \
    let liblist library local localparam logic longint macromodule matches medium modport module nand \
    negedge nettype new nexttime nmos nor noshowcancelled not notif0 notif1 null or output package packed \
    parameter pmos posedge primitive priority program property protected pull0 pull1 pulldown pullup \
    pulsestyle_ondetect pulsestyle_onevent pure rand randc randcase randsequence rcmos real realtime ref reg \
    reject_on release repeat restrict return rnmos rpmos rtran rtranif0 rtranif1 s_always s_eventually \
    s_nexttime s_until s_until_with scalared sequence shortint shortreal showcancelled signed small soft \
    solve specify specparam static string strong strong0 strong1 struct super supply0 supply1 sync_accept_on \
    sync_reject_on table tagged task this throughout time timeprecision timeunit tran tranif0 tranif1 tri \
    tri0 tri1 triand trior trireg type typedef union unique unique0 unsigned until until_with untyped use \
    uwire var vectored virtual void wait wait_order wand weak weak0 weak1 while wildcard wire with within \
    wor xnor xor";

/// Whether a name means something to a compiler, a header, or the generated text itself.
fn is_reserved(name: &str) -> bool {
    let words = [
        C_RESERVED,
        COMPILER_RESERVED,
        HEADER_RESERVED,
        VERILOG_RESERVED,
        super::rust::RESERVED,
        super::vhdl::RESERVED,
        OWN,
    ];
    if words.iter().any(|words| words.split_whitespace().any(|word| word == name)) {
        return true;
    }
    // With our ending a name belongs to none of these families.
    if name.ends_with("_filter") {
        return false;
    }
    // Types of POSIX and of most libraries (POSIX.1-2017, 2.2.2); the words of a program: n12, n12_p0.
    is_of_unit(name)
        || name.ends_with("_t")
        || OWN_ENDINGS.iter().any(|ending| name.ends_with(ending))
        || RESERVED_BEGINNINGS.iter().any(|beginning| name.starts_with(beginning))
        || name.strip_prefix('n').is_some_and(|rest| rest.starts_with(|c: char| c.is_ascii_digit()))
}

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
        let mut base = name.to_string();
        while is_reserved(&base) {
            base.push_str("_filter");
        }
        Symbols { base }
    }

    /// The stem of all symbols and files.
    pub fn base(&self) -> &str {
        &self.base
    }

    /// The names of a part of it, the first has number 1.
    pub(super) fn part(&self, number: usize) -> Symbols {
        Symbols { base: format!("{}_part{number}", self.base) }
    }

    /// The stem in capitals, for include guards.
    pub(super) fn capitals(&self) -> String {
        self.base.to_ascii_uppercase()
    }
}
