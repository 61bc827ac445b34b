var t=e=>Number(e.slice(0,2))*60+Number(e.slice(3)),n=()=>new Date().getHours()*60+new Date().getMinutes();export{t as a,n as b};
